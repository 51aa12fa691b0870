// How wide the map is drawn, and whether there is room to have it open: the server draws it for the page it stands on.
const NARROW = matchMedia("(max-width: 1000px)");
const ROOMY = matchMedia("(min-width: 1600px) and (min-height: 940px)");
const PHONE = matchMedia("(max-width: 480px)");

export function startWidth() {
  const tell = () => {
    const width = PHONE.matches ? "phone" : NARROW.matches ? "narrow" : "wide";
    document.cookie = `map_width=${width}; path=/; max-age=31536000; samesite=strict`;
    document.cookie = `map_room=${ROOMY.matches ? "open" : "strip"}; path=/; max-age=31536000; samesite=strict`;
    const drawn = document.querySelector("svg.river[data-width]");
    const unchosen = drawn && !drawn.classList.contains("plugged") && document.querySelector("#at [name=map]").value === "";
    if (drawn && (drawn.dataset.width !== width || (unchosen && drawn.classList.contains("strip") === ROOMY.matches))) document.querySelector("#at [name=soc]").dispatchEvent(new Event("change", { bubbles: true }));
  };
  NARROW.addEventListener("change", tell);
  ROOMY.addEventListener("change", tell);
  PHONE.addEventListener("change", tell);
  document.addEventListener("htmx:after:init", tell, { once: true });
  if (document.readyState === "complete") tell();
  else addEventListener("load", tell, { once: true });
}
