// What a page can do without at first is asked for once it stands, and again when its address names another revision.
// Until the answer is there the old one stays, marked as busy: nothing jumps while someone edits.
export function startLater() {
  document.addEventListener("htmx:after:swap", ask);
  if (document.readyState === "complete") ask();
  else addEventListener("load", ask, { once: true });
}

function ask() {
  for (const place of document.querySelectorAll(".later[data-url]")) {
    const url = place.dataset.url;
    if (place.asked === url) continue;
    place.asked = url;
    place.setAttribute("aria-busy", "true");
    htmx.ajax("GET", url, { source: place, target: place, swap: "innerHTML" }).then(() => {
      if (place.asked === url) place.removeAttribute("aria-busy");
    });
  }
}
