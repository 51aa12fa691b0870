// What somebody folded out stays so when a late answer swaps the page: what one is typing into must not fold away.
const chosen = new Map();
let station = "";

export function startFolds() {
  station = here();
  document.addEventListener("click", (event) => {
    const fold = event.target.closest("summary")?.parentElement;
    if (fold?.matches("#work details")) chosen.set(name(fold), !fold.open);
  });
  document.addEventListener("htmx:after:swap", () => {
    if (station !== here()) chosen.clear();
    station = here();
    if (!chosen.size) return;
    for (const fold of document.querySelectorAll("#work details")) {
      const open = chosen.get(name(fold));
      if (open !== undefined && fold.open !== open) fold.open = open;
    }
  });
}

function here() {
  return document.getElementById("build")?.dataset.station ?? "";
}

function name(fold) {
  return `${fold.closest("section")?.getAttribute("aria-labelledby")} ${fold.querySelector("summary").textContent.trim()}`;
}
