// Practice: pressing a point of the console puts the red probe there, the next press the black one.
export function startProbes() {
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
