// Rows that are moved: by the arrow keys on their grip, or dragged by it.
const LONGEST_MS = 3000; // that a step waits for the one before

export function startRows() {
  let held = null;
  let moved = Promise.resolve(); // each step waits for the answer to the one before, which says where the row lies now
  let asked = 0;
  document.addEventListener("keydown", (event) => {
    const grip = event.target.closest?.(".grip");
    if (!grip || (event.key !== "ArrowUp" && event.key !== "ArrowDown")) return;
    event.preventDefault();
    if (event.repeat && asked > 1) return;
    asked += 1;
    moved = moved.then(() => step(grip.id, event.key === "ArrowUp" ? "before" : "after")).finally(() => { asked -= 1; });
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

function step(id, way) {
  const grip = document.getElementById(id);
  if (!grip?.dataset[way]) return undefined;
  send(grip, grip.dataset[way]);
  return Promise.race([answered(), new Promise((done) => { setTimeout(done, LONGEST_MS); })]);
}

function answered() {
  return new Promise((done) => {
    document.addEventListener("htmx:finally:request", function ended(event) {
      if (event.detail.ctx.sourceElement.id !== "mover") return;
      document.removeEventListener("htmx:finally:request", ended);
      done();
    });
  });
}

function send(grip, before) {
  const form = document.getElementById("mover");
  form.elements.part.value = grip.closest("tr").dataset.part;
  form.elements.before.value = before;
  form.requestSubmit();
}
