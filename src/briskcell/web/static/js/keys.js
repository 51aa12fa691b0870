// The keyboard: digits go to stations, single letters act, and none of it while something is being typed.
export function startKeys() {
  document.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    // Escape leaves a field first: the keys then act again.
    if (event.key === "Escape" && event.target.matches?.("input.figure, #work textarea, #slip input")) event.target.blur();
    const typing = event.target.matches?.("input:not([type=range]):not([type=radio]), textarea, select");
    if (typing || document.querySelector("dialog[open]")) return;
    if (act(event.key)) event.preventDefault();
  });
  document.addEventListener("click", (event) => {
    const opener = event.target.closest("[data-opens]");
    if (opener) {
      event.preventDefault();
      open(opener.dataset.opens, opener.dataset.typed, opener.dataset.behind);
    }
    if (event.target.closest("[data-prints]")) print();
  });
}

function act(key) {
  if (key === "/" || key === "?") return open(key === "/" ? "find" : "keys");
  if (key === "," || key === ".") return stepPack(key === "," ? -5 : 5);
  if (key === "p") return nextState();
  const target = document.querySelector(`[data-key="${CSS.escape(key)}"]:not([disabled])`);
  if (!target) return false;
  target.click();
  return true;
}

// What is typed already stands before the cursor; what is added then goes behind the part that was pointed at.
function open(id, typed = "", behind = "") {
  const dialog = document.getElementById(id);
  if (!dialog) return false;
  dialog.showModal();
  const words = dialog.querySelector("input[type=search]");
  if (words && (typed || words.value.startsWith("add "))) words.value = typed;
  words?.focus();
  if (!typed) words?.select();
  const place = document.getElementById("find-behind");
  if (place) place.value = behind;
  if (id === "find") htmx.trigger("#found", "find-opened");
  return true;
}

function stepPack(by) {
  const slider = document.querySelector('#at input[name="soc"]');
  if (!slider) return false;
  slider.value = Math.min(100, Math.max(0, Number(slider.value) + by));
  slider.dispatchEvent(new Event("change", { bubbles: true }));
  return true;
}

function nextState() {
  const states = [...document.querySelectorAll('#at input[name="state"]')];
  const now = states.findIndex((s) => s.checked);
  if (now < 0) return false;
  states[(now + 1) % states.length].click();
  return true;
}
