// Scatters that share their points: bounds on each measure fade what is beyond them in all drawings, and hide rows of the table.
// A corner dragged in a drawing moves two bounds; a click picks the nearest point that is left.
export function startScatters() {
  document.addEventListener("input", (event) => {
    const box = event.target.closest("[data-bound]") && event.target.closest(".scatters");
    if (box) show(box);
  });
  document.addEventListener("click", (event) => {
    const box = event.target.closest(".scatters");
    if (!box) return;
    if (event.target.closest("[data-clear]")) {
      box.querySelectorAll("[data-bound]").forEach((input) => { input.value = 0; });
      show(box);
    }
    const step = event.target.closest("[data-step]");
    if (step) pick(box, next(box, Number(step.dataset.step)));
  });
  document.addEventListener("pointerdown", (event) => {
    const svg = event.target.closest(".scatters svg");
    if (!svg || event.button) return;
    event.preventDefault();
    svg.setPointerCapture(event.pointerId);
    const [box, began] = [svg.closest(".scatters"), point(svg, event)];
    let dragged = false;
    const move = (e) => {
      const at = point(svg, e);
      dragged ||= Math.hypot(at.x - began.x, at.y - began.y) > 4;
      if (dragged) bound(box, svg, at);
    };
    const end = (e) => {
      for (const name of ["pointermove", "pointerup", "pointercancel"]) svg.removeEventListener(name, name === "pointermove" ? move : end);
      if (!dragged && e.type === "pointerup") pick(box, nearest(box, svg, point(svg, e)));
    };
    svg.addEventListener("pointermove", move);
    svg.addEventListener("pointerup", end);
    svg.addEventListener("pointercancel", end);
  });
}

const told = (box) => (box.told ??= JSON.parse(box.dataset.scatters));
const inputOf = (box, field) => box.querySelector(`[data-bound="${field}"]`);

// Whether a row of figures, by measure, is within all bounds.
function within(box, figure) {
  return told(box).measures.every((m) => {
    const [value, stop] = [figure(m), m.stops[Number(inputOf(box, m.field).value)]];
    return value == null || (m.most ? value >= stop - 1e-9 : value <= stop + 1e-9);
  });
}

function show(box) {
  const { measures, points } = told(box);
  box.left = points.map((_, k) => within(box, (m) => m.values[k]));
  for (const m of measures) inputOf(box, m.field).nextElementSibling.textContent = m.labels[Number(inputOf(box, m.field).value)];
  for (const svg of box.querySelectorAll("svg")) {
    svg.querySelectorAll("circle").forEach((c, k) => c.classList.toggle("out", !box.left[k]));
    corner(box, svg);
  }
  const left = box.left.filter(Boolean).length;
  box.querySelector("[data-left]").textContent = left;
  box.querySelector("[data-none]").hidden = left > 0;
  for (const row of box.parentElement.querySelectorAll("tr[data-figures]")) {
    const figures = JSON.parse(row.dataset.figures);
    row.hidden = !within(box, (m) => figures[m.field]);
  }
}

// The two bounds of a drawing as lines through it.
function corner(box, svg) {
  const room = roomOf(svg);
  const part = (m) => (m.stops[Number(inputOf(box, m.field).value)] - m.low) / Math.max(m.high - m.low, 1e-9);
  const [hours, across] = ["runtime_h", svg.dataset.across].map((f) => told(box).measures.find((m) => m.field === f));
  const [x, y] = [room.x + part(across) * room.width, room.y + (1 - part(hours)) * room.height];
  const moved = [hours, across].some((m) => Number(inputOf(box, m.field).value));
  svg.querySelector(".corner").setAttribute("d", moved ? `M${room.x},${y} H${x} V${room.y}` : "");
}

// The bounds that a corner at the pointer means: the last stop that is still within.
function bound(box, svg, at) {
  const room = roomOf(svg);
  const share = (v) => Math.min(Math.max(v, 0), 1);
  const parts = { runtime_h: share(1 - (at.y - room.y) / room.height), [svg.dataset.across]: share((at.x - room.x) / room.width) };
  for (const [field, part] of Object.entries(parts)) {
    const m = told(box).measures.find((other) => other.field === field);
    const value = m.low + part * (m.high - m.low);
    const stop = m.stops.findIndex((s) => (m.most ? s >= value : s <= value));
    inputOf(box, field).value = stop < 0 ? m.stops.length - 1 : stop;
  }
  show(box);
}

function nearest(box, svg, at) {
  let best = -1;
  let least = Infinity;
  svg.querySelectorAll("circle").forEach((c, k) => {
    const away = Math.hypot(c.cx.baseVal.value - at.x, c.cy.baseVal.value - at.y);
    if ((box.left?.[k] ?? true) && away < least) [best, least] = [k, away];
  });
  return best;
}

function next(box, by) {
  const count = told(box).points.length;
  for (let n = 1; n <= count; n++) {
    const k = ((((box.at ?? (by > 0 ? -1 : 0)) + by * n) % count) + count) % count;
    if (box.left?.[k] ?? true) return k;
  }
  return -1;
}

function pick(box, k) {
  if (k < 0) return;
  box.at = k;
  const form = box.querySelector(".picked");
  const values = told(box).points[k];
  form.querySelectorAll("input[type=hidden]").forEach((input, n) => { input.value = values[n]; });
  form.querySelector("p").textContent = values[5];
  form.hidden = false;
  box.querySelector("[data-hint]").hidden = true;
  for (const svg of box.querySelectorAll("svg")) svg.querySelectorAll("circle").forEach((c, n) => c.classList.toggle("at", n === k));
  if (document.activeElement === document.body) form.querySelector("[data-step='1']").focus();
}

function roomOf(svg) {
  const { x, y, width, height } = svg.querySelector(".room");
  return { x: x.baseVal.value, y: y.baseVal.value, width: width.baseVal.value, height: height.baseVal.value };
}

function point(svg, event) {
  return new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
}
