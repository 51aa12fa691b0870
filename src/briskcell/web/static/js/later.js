// What a page can do without at first is asked for once it stands, and again when its address names another revision:
// then only after a pause, so that quick edits do not each set the server to work on what nobody will read.
// Until the answer is there the old one stays, marked as busy: nothing jumps while someone edits.
const PAUSE_MS = 350;
let waiting = 0;

export function startLater() {
  document.addEventListener("htmx:after:swap", look);
  if (document.readyState === "complete") look();
  else addEventListener("load", look, { once: true });
}

function look() {
  clearTimeout(waiting);
  for (const place of behind()) {
    place.setAttribute("aria-busy", "true");
    if (!place.asked) ask(place);
  }
  if (behind().length) waiting = setTimeout(() => behind().forEach(ask), PAUSE_MS);
}

// Places that show another revision than their address names, or nothing yet.
function behind() {
  return [...document.querySelectorAll(".later[data-url]")].filter((place) => place.asked !== place.dataset.url);
}

function ask(place) {
  const url = (place.asked = place.dataset.url);
  htmx.ajax("GET", url, { source: place, target: place, swap: "innerHTML" }).then(() => {
    if (place.asked === url) place.removeAttribute("aria-busy");
  });
}
