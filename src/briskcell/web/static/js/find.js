// The finder: forgives slips of typing, best first; arrow keys walk the list, Enter takes the first or the chosen one.
import Fuse from "../vendor/fuse.min.mjs";

let wanted = false; // Enter came before the list did

export function startFind() {
  document.addEventListener("htmx:after:swap", (event) => {
    if (event.detail.ctx?.sourceElement?.id !== "found") return;
    search(document.getElementById("find-words").value);
    if (wanted) first();
    wanted = false;
  });
  document.addEventListener("input", (event) => {
    if (event.target.id === "find-words") search(event.target.value);
  });
  document.addEventListener("keydown", (event) => {
    if (!event.target.closest?.("#find")) return;
    const lines = [...document.querySelectorAll("#found li:not([hidden])")].map((li) => li.querySelector("a, button")).filter(Boolean);
    if (event.key === "Enter" && event.target.id === "find-words") {
      event.preventDefault();
      if (document.getElementById("found").children.length) first();
      else wanted = true;
    }
    if (event.key !== "ArrowDown" && event.key !== "ArrowUp") return;
    event.preventDefault();
    const at = lines.indexOf(document.activeElement) + (event.key === "ArrowDown" ? 1 : -1);
    (at < 0 ? document.getElementById("find-words") : lines[Math.min(at, lines.length - 1)])?.focus();
  });
}

function first() {
  document.querySelector("#found li:not([hidden]) :is(a, button)")?.click();
}

function search(typed) {
  const list = document.getElementById("found");
  const lines = [...list.children];
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  // Every word has to be found; a line stands as high as its words are near.
  const fuse = new Fuse(lines.map((li) => li.dataset.words), { includeScore: true, ignoreLocation: true, threshold: 0.34, minMatchCharLength: 2 });
  const scores = new Map(lines.map((_li, k) => [k, 0]));
  for (const word of words) {
    const hits = new Map(fuse.search(word).map((hit) => [hit.refIndex, hit.score]));
    for (const k of [...scores.keys()]) {
      if (hits.has(k)) scores.set(k, scores.get(k) + hits.get(k));
      else scores.delete(k);
    }
  }
  lines.forEach((li, k) => { li.hidden = !scores.has(k); li.dataset.place ??= k; });
  const order = (li, k) => (words.length ? scores.get(k) ?? 99 : 0);
  const sorted = lines.map((li, k) => [order(li, k), Number(li.dataset.place), li]).sort((a, b) => a[0] - b[0] || a[1] - b[1]);
  list.append(...sorted.map((entry) => entry[2]));
  document.getElementById("found-none").hidden = scores.size > 0;
}
