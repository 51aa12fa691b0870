// A step of the bench opens at its title and its caution, with the field to type in at hand where there is room for both.
const NARROW = "(max-width: 700px)";
let shown = null;

export function startBench() {
  shown = step();
  document.addEventListener("htmx:after:swap", () => {
    const now = step();
    if (now === shown) return;
    const opens = now && shown !== null;
    shown = now;
    if (opens) open(document.querySelector(".bench-next"));
  });
}

function step() {
  const place = document.querySelector(".bench-next");
  return place ? `${document.querySelector('#at input[name="unit"]')?.value} ${place.dataset.step}` : null;
}

function open(place) {
  const narrow = matchMedia(NARROW).matches;
  const top = place.getBoundingClientRect().top;
  if (narrow || top < 0 || top > innerHeight / 2) place.scrollIntoView({ block: "start" });
  // On a phone a field in focus would bring up its keyboard and push the caution out of sight.
  const field = narrow ? null : place.querySelector('.reading input[name^="read-"]');
  (field ?? place.querySelector(".step"))?.focus({ preventScroll: true });
}
