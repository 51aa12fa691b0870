// What every request carries: the token against forged requests, and the revision the page stands on at that moment.
export function startRequests() {
  document.addEventListener("htmx:before:request", (event) => {
    const headers = event.detail.ctx.request.headers;
    headers["X-CSRFToken"] = document.querySelector('meta[name="csrf"]').content;
    // A dialog closes as what was chosen in it is sent for: swapped while open, it would keep the page inert.
    // The finder's own list is no choice.
    if (event.detail.ctx.sourceElement.id !== "found") event.detail.ctx.sourceElement.closest("dialog[open]")?.close();
    const build = document.getElementById("build");
    if (build) headers["X-Base"] = build.dataset.revision;
  });
  // An answer about a revision that the page has left behind is dropped: it would put an old verdict over a new one.
  document.addEventListener("htmx:before:swap", (event) => {
    const about = event.detail.ctx?.response?.headers?.get("X-Revision");
    if (about && about !== document.getElementById("build")?.dataset.revision) event.preventDefault();
  });
  document.addEventListener("htmx:error", () => {
    const notice = document.getElementById("notice");
    if (notice) {
      notice.className = "notice";
      notice.textContent = "The last change did not reach Brisk Cell. It stands in its field; is the program still running?";
    }
  });
  document.addEventListener("htmx:after:swap", (event) => {
    const form = event.detail.ctx?.sourceElement;
    if (form?.matches?.("form[data-resets]") && event.detail.ctx.response?.status === 200) form.reset();
  });
  let shown = slipKey();
  let opener = null;
  document.addEventListener("click", (event) => {
    const link = event.target.closest("[data-slip]");
    if (link && link.id !== "slip") opener = link.dataset.slip;
  });
  document.addEventListener("htmx:after:swap", () => {
    const now = slipKey();
    if (now && now !== shown) {
      const slip = document.getElementById("slip");
      slip.scrollTop = 0;
      slip.focus({ preventScroll: true });
    }
    if (!now && shown && opener) document.querySelector(`a[data-slip="${CSS.escape(opener)}"]`)?.focus();
    shown = now;
  });
}

function slipKey() {
  return document.getElementById("slip")?.dataset.slip || "";
}
