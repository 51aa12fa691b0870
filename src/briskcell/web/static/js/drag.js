import { figure } from "./figures.js";

// Handles that are dragged, or stepped with arrow keys, and end as what is typed in their field: one way in for both.
// Where a handle was put last is kept beside it: an answer to what was sent before draws the page anew under it.
export function startDrags() {
  document.addEventListener("pointerdown", (event) => {
    const handle = event.target.closest("[data-drag]");
    if (!handle || event.button) return;
    event.preventDefault();
    handle.focus();
    handle.setPointerCapture(event.pointerId);
    const began = wantedOf(handle);
    const move = (e) => place(handle, at(handle, e));
    const end = (e) => {
      handle.removeEventListener("pointermove", move);
      handle.removeEventListener("pointerup", end);
      handle.removeEventListener("pointercancel", end);
      if (e.type !== "pointercancel" && wantedOf(handle) !== began) return send(handle);
      place(handle, began);
      handle.wanted = undefined;
    };
    handle.addEventListener("pointermove", move);
    handle.addEventListener("pointerup", end);
    handle.addEventListener("pointercancel", end);
  });
  document.addEventListener("keydown", (event) => {
    const handle = event.target.closest?.("[data-drag]");
    if (!handle) return;
    const { step, low, high } = JSON.parse(handle.dataset.drag);
    const by = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1, PageUp: 10, PageDown: -10 }[event.key];
    const to = event.key === "Home" ? low : event.key === "End" ? high : by && wantedOf(handle) + by * step * (event.shiftKey ? 10 : 1);
    if (to === undefined) return;
    event.preventDefault();
    place(handle, to);
    clearTimeout(handle.sending);
    handle.sending = setTimeout(() => send(handle), 300);
  });
  // A knob shows its figure while it is turned; the server hears of it when it is let go.
  document.addEventListener("input", (event) => {
    if (!event.target.matches("[data-percent]")) return;
    const shown = `${Math.round(event.target.value * 100)} %`;
    event.target.setAttribute("aria-valuetext", shown);
    event.target.parentElement.querySelector("output").textContent = shown;
  });
}

function valueOf(handle) {
  return Number(handle.dataset.value);
}

function wantedOf(handle) {
  return handle.wanted ?? valueOf(handle);
}

// The value under the pointer, on the drawing's own scale.
function at(handle, event) {
  const { axis, low, high, start, end } = JSON.parse(handle.dataset.drag);
  const svg = handle.ownerSVGElement;
  const point = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
  return low + ((point[axis] - start) / (end - start)) * (high - low);
}

function place(handle, wanted) {
  const { axis, low, high, start, end, step, unit } = JSON.parse(handle.dataset.drag);
  const [floor, ceiling] = between(handle, low, high);
  const value = Math.min(Math.max(Math.round(wanted / step) * step, floor), ceiling);
  if (!handle.hasAttribute("transform")) handle.origin = valueOf(handle); // not moved since it was drawn
  handle.wanted = value;
  const by = ((value - handle.origin) / (high - low)) * (end - start);
  handle.setAttribute("transform", axis === "x" ? `translate(${by} 0)` : `translate(0 ${by})`);
  handle.dataset.value = String(Number(value.toFixed(4)));
  handle.setAttribute("aria-valuenow", handle.dataset.value);
  handle.setAttribute("aria-valuetext", words(handle, unit));
  const label = handle.querySelector("[data-shows]");
  if (label) label.textContent = words(handle, unit);
  pieces(handle.ownerSVGElement);
}

// The value as the server shows it; shares are in points of a hundred here.
function words(handle, unit = "%") {
  return figure(Number(handle.dataset.value) / (unit === "%" ? 100 : 1), unit);
}

// Edges of one bar keep their order.
function between(handle, low, high) {
  const joined = handle.ownerSVGElement.dataset.joined ? [...handle.ownerSVGElement.querySelectorAll("[data-drag]")] : [handle];
  const k = joined.indexOf(handle);
  return [k > 0 ? valueOf(joined[k - 1]) : low, k < joined.length - 1 ? valueOf(joined[k + 1]) : high];
}

function edges(svg) {
  return [0, ...[...svg.querySelectorAll("[data-drag]")].map(valueOf), 100];
}

function pieces(svg) {
  if (!svg.dataset.joined) return;
  const at = edges(svg);
  svg.querySelectorAll("[data-piece]").forEach((piece, k) => {
    piece.setAttribute("x", at[k] * 4);
    piece.setAttribute("width", (at[k + 1] - at[k]) * 4);
  });
}

// The id of the field of a path, as the page's own macro makes it.
const field = (path) => `fe-${path?.replace(/[^a-zA-Z0-9_-]+/g, "-")}`;

function send(handle) {
  if (!handle.isConnected) return;
  place(handle, wantedOf(handle));
  const svg = handle.ownerSVGElement;
  const input = document.getElementById(svg.dataset.joined || field(handle.dataset.path));
  const at = edges(svg);
  const { unit } = JSON.parse(handle.dataset.drag);
  input.value = svg.dataset.joined ? at.slice(1).map((v, k) => Number((v - at[k]).toFixed(2))).join(" / ") : `${handle.dataset.value} ${unit}`;
  handle.wanted = undefined;
  input.dispatchEvent(new Event("change", { bubbles: true }));
}
