// Rows that are moved: by the arrow keys on their grip, or dragged by it.
export function startRows() {
  let held = null;
  document.addEventListener("keydown", (event) => {
    const grip = event.target.closest?.(".grip");
    if (!grip || (event.key !== "ArrowUp" && event.key !== "ArrowDown")) return;
    event.preventDefault();
    const before = event.key === "ArrowUp" ? grip.dataset.before : grip.dataset.after;
    if (before) send(grip, before);
  });
  document.addEventListener("dragstart", (event) => {
    held = event.target.closest?.(".grip");
    if (held) event.dataTransfer.setData("text/plain", held.closest("tr").dataset.part);
  });
  document.addEventListener("dragover", (event) => {
    if (target(event)) event.preventDefault();
  });
  document.addEventListener("drop", (event) => {
    const row = target(event);
    if (!row) return;
    event.preventDefault();
    const below = event.clientY > row.getBoundingClientRect().top + row.offsetHeight / 2;
    const before = below ? row.nextElementSibling?.dataset.part || "-last" : row.dataset.part;
    if (before !== held.closest("tr").dataset.part) send(held, before);
    held = null;
  });

  function target(event) {
    const row = held && event.target.closest?.("tr[data-part]");
    return row && row.dataset.place === held.closest("tr").dataset.place ? row : null;
  }
}

function send(grip, before) {
  const form = document.getElementById("mover");
  form.elements.part.value = grip.closest("tr").dataset.part;
  form.elements.before.value = before;
  form.requestSubmit();
}
