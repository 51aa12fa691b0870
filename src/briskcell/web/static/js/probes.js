// The step that is due is marked on the map as well, strip or open: a red probe at its element.
// Practice: pressing a point of the console puts the red probe there, the next press the black one.
export function startProbes() {
  markMap();
  document.addEventListener("htmx:after:swap", markMap);
  let next = "red";
  document.addEventListener("click", (event) => {
    const point = event.target.closest("[data-point]");
    const form = document.querySelector(".probe-form");
    // A rail is a name for what its board makes: it is no point of its own.
    if (!point || !form || ![...form.elements[next].options].some((o) => o.value === point.dataset.point)) return;
    form.elements[next].value = point.dataset.point;
    mark(form);
    next = next === "red" ? "black" : "red";
  });
  document.addEventListener("change", (event) => {
    const form = event.target.closest(".probe-form");
    if (form) mark(form);
  });
}

function mark(form) {
  for (const el of document.querySelectorAll("[data-point]")) {
    for (const side of ["red", "black"]) el.classList.toggle(side, form.elements[side].value === el.dataset.point);
  }
}

function markMap() {
  document.querySelectorAll(".probe-mark").forEach((el) => el.remove());
  const at = document.querySelector(".probes-drawn")?.dataset.element;
  const place = at && document.querySelector(`#map-drawing a[data-slip="part:${CSS.escape(at)}"]`);
  if (!place) return;
  const box = (place.querySelector("text") ?? place).getBBox();
  const mark = document.createElementNS("http://www.w3.org/2000/svg", "path");
  mark.setAttribute("class", "probe-mark");
  mark.setAttribute("d", `M${box.x - 9},${box.y + box.height - 2} l-7,-14 h14 z`);
  place.append(mark);
}
