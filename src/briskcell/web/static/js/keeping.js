// A reading that did not reach the server is kept on this machine, and sent as soon as the server answers again.
const KEY = "kept-readings";
const EVERY_MS = 2000;

export function startKeeping() {
  document.addEventListener("htmx:error", (event) => {
    const form = event.detail.ctx?.sourceElement?.closest?.("form[data-keeps]");
    if (!form || event.detail.ctx?.response) return;
    const body = event.detail.ctx.request.body;
    if (!body) return;
    keep([...kept(), { url: form.getAttribute("hx-post"), body: new URLSearchParams(body).toString(), what: form.dataset.keeps }]);
    tell();
  });
  tell();
  setInterval(send, EVERY_MS);
}

function kept() {
  try {
    return JSON.parse(localStorage.getItem(KEY)) ?? [];
  } catch {
    return [];
  }
}

function keep(all) {
  localStorage.setItem(KEY, JSON.stringify(all.slice(-50)));
}

function tell(words = "") {
  const notice = document.getElementById("notice");
  const all = kept();
  if (!notice || (!all.length && !words)) return;
  notice.className = "notice";
  notice.textContent = words || `Kept on this machine until Brisk Cell answers: ${all.map((r) => r.what).join("; ")}.`;
}

let sending = false;

async function send() {
  const [first, ...rest] = kept();
  if (!first || sending) return;
  sending = true;
  try {
    const answer = await fetch(first.url, {
      method: "POST", body: first.body,
      headers: {
        "Content-Type": "application/x-www-form-urlencoded", "HX-Request": "true",
        "X-CSRFToken": document.querySelector('meta[name="csrf"]').content,
      },
    });
    if (answer.status >= 500) return;
    keep(rest);
    tell(answer.ok ? `Sent now: ${first.what}.` : `${first.what}: what was kept was refused. Read it again.`);
    const work = document.getElementById("build");
    if (work && answer.ok) htmx.ajax("GET", location.href, { source: work, target: work, swap: "outerMorph" });
  } catch {
    tell(); // it is tried again
  } finally {
    sending = false;
  }
}
