// Fields: arrow keys step a figure, an error keeps what was typed until the field itself is sent again.
const STEP = /^(\s*[-+−]?)(\d+(?:[.,]\d+)?)(.*)$/;

export function startFields() {
  document.addEventListener("keydown", (event) => {
    const input = event.target;
    if (!input.matches?.("input[data-field]")) return;
    if (event.key === "Escape") {
      input.value = input.getAttribute("value");
      clearError(input);
    }
    if (event.key !== "ArrowUp" && event.key !== "ArrowDown") return;
    const stepped = step(input.value, event.key === "ArrowUp" ? 1 : -1, event.shiftKey ? 10 : 1);
    if (stepped === null) return;
    event.preventDefault();
    input.value = stepped;
    clearTimeout(input.stepTimer);
    input.stepTimer = setTimeout(() => input.dispatchEvent(new Event("change", { bubbles: true })), 250);
  });
  document.addEventListener("htmx:before:request", (event) => {
    const source = event.detail.ctx.sourceElement;
    source.closest(".field")?.classList.remove("keep-typed");
    if (source.matches("input[data-field]")) {
      source.sentValue = source.value;
      clearError(source); // else a swap that comes before the answer would take the field for one that was refused
    }
  });
  // What could not be kept stays typed, and says so; what was refused, or met another change, is told by the answer itself.
  document.addEventListener("htmx:response:error", (event) => {
    const { sourceElement, response } = event.detail.ctx;
    const error = sourceElement.matches("input[data-field]") && sourceElement.closest(".field")?.querySelector(".error");
    if (error && response.status !== 409 && response.status !== 422) error.textContent = "Not saved.";
  });
  document.addEventListener("htmx:after:swap", (event) => {
    for (const error of document.querySelectorAll(".field .error")) {
      const wrong = error.textContent.trim() !== "";
      const field = error.closest(".field");
      field.classList.toggle("keep-typed", wrong);
      field.querySelector("input, select")?.toggleAttribute("aria-invalid", wrong);
      if (wrong) field.querySelector("input, select")?.setAttribute("aria-invalid", "true");
    }
    if (event.detail.ctx.target?.id !== "build") return;
    // What the server holds is what a field shows, unless it is being typed in or was refused.
    for (const input of document.querySelectorAll(".field:not(.keep-typed) input[data-field]")) {
      if (input !== document.activeElement || input.value === input.sentValue) input.value = input.getAttribute("value");
    }
    for (const select of document.querySelectorAll(".field:not(.keep-typed) select")) {
      const chosen = select.querySelector("option[selected]");
      if (chosen && select !== document.activeElement) select.value = chosen.value;
    }
  });
}

function clearError(input) {
  const field = input.closest(".field");
  field.classList.remove("keep-typed");
  field.querySelector(".error").textContent = "";
  input.removeAttribute("aria-invalid");
}

// Steps the last digit that is typed: 1.30 W goes to 1.31 W, 850 mA to 851 mA.
export function step(text, direction, times) {
  const clock = text.match(/^(\d+)h(\d{2})$/);
  if (clock) {
    const minutes = Math.max(0, +clock[1] * 60 + +clock[2] + direction * times);
    return `${Math.floor(minutes / 60)}h${String(minutes % 60).padStart(2, "0")}`;
  }
  const found = text.match(STEP);
  if (!found) return null;
  const places = (found[2].split(/[.,]/)[1] || "").length;
  const value = Number(found[2].replace(",", ".")) + direction * times * 10 ** -places;
  return `${found[1]}${Math.max(0, value).toFixed(places)}${found[3]}`;
}
