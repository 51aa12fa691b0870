// A file goes to the server in pieces, with progress; then its form is sent with the name it goes by there.
const PIECE = 1_000_000;
let lying = ""; // on the server, and taken in by nobody yet

export function startUploads() {
  document.addEventListener("submit", (event) => {
    const form = event.target.closest?.("form[data-uploads]");
    const chosen = form?.querySelector("input[type=file]");
    if (!chosen?.files.length || form.elements.file.value) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    send(form, chosen.files[0]);
  }, true);
  // Whoever closes the page leaves nothing lying there; a form that is sent takes the file along.
  document.addEventListener("submit", () => { lying = ""; });
  addEventListener("pagehide", () => {
    if (!lying) return;
    const body = new FormData();
    body.set("csrf_token", document.querySelector('meta[name="csrf"]').content);
    navigator.sendBeacon(`/uploads/${lying}/leave`, body);
  });
  const look = () => { lying = document.querySelector("form[data-lying]")?.dataset.lying ?? lying; };
  look();
  document.addEventListener("htmx:after:swap", look);
}

async function send(form, file) {
  const bar = form.querySelector("progress");
  const wrong = form.querySelector(".error");
  bar.hidden = false;
  wrong.textContent = "";
  try {
    const { name } = await ask("/uploads");
    lying = name;
    for (let at = 0; at < file.size || at === 0; at += PIECE) {
      await ask(`/uploads/${name}?at=${at}`, file.slice(at, at + PIECE));
      bar.value = Math.min((at + PIECE) / Math.max(file.size, 1), 1);
      if (!document.contains(form)) return;
    }
    form.elements.file.value = name;
    if (form.elements.title && !form.elements.title.value) form.elements.title.value = file.name.slice(0, 100);
    form.requestSubmit();
    form.elements.file.value = "";
    form.querySelector("input[type=file]").value = "";
  } catch (error) {
    if (lying) ask(`/uploads/${lying}/leave`).catch(() => {});
    lying = "";
    wrong.textContent = error.message;
  } finally {
    bar.hidden = true;
  }
}

async function ask(url, body = null) {
  let answer;
  try {
    answer = await fetch(url, {
      method: "POST", body,
      headers: { "Content-Type": "application/octet-stream", "X-CSRFToken": document.querySelector('meta[name="csrf"]').content },
    });
  } catch {
    throw new Error("Brisk Cell does not answer. Is it still running? Then choose the file again.");
  }
  const said = await answer.json().catch(() => ({}));
  if (!answer.ok) throw new Error(said.words || `The file was refused (${answer.status}).`);
  return said;
}
