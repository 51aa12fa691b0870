// How wide the map is drawn: the server draws it for a wide or a narrow page.
const NARROW = matchMedia("(max-width: 1000px)");
const PHONE = matchMedia("(max-width: 480px)");

export function startWidth() {
  const tell = () => {
    const width = PHONE.matches ? "phone" : NARROW.matches ? "narrow" : "wide";
    document.cookie = `map_width=${width}; path=/; max-age=31536000; samesite=strict`;
    const drawn = document.querySelector("svg.river[data-width]");
    if (drawn && drawn.dataset.width !== width) document.querySelector("#at [name=soc]").dispatchEvent(new Event("change", { bubbles: true }));
  };
  NARROW.addEventListener("change", tell);
  PHONE.addEventListener("change", tell);
  document.addEventListener("htmx:after:init", tell, { once: true });
  if (document.readyState === "complete") tell();
  else addEventListener("load", tell, { once: true });
}
