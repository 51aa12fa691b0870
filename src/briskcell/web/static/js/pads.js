// A press on a board's photograph puts the place into the fields of the pad that was last looked at, and sends it.
export function startPads() {
  let last;
  document.addEventListener("focusin", (event) => {
    if (event.target.closest(".mark-pad")) last = event.target.closest(".mark-pad").querySelector("[name=x]").getAttribute("aria-label");
  });
  document.addEventListener("click", (event) => {
    const photo = event.target.closest("[data-marks]");
    if (!photo) return;
    const board = photo.closest("section");
    const forms = [...board.querySelectorAll(".mark-pad")];
    const form = forms.find((f) => f.querySelector("[name=x]").getAttribute("aria-label") === last) ??
      forms.find((f) => !f.querySelector("[name=x]").value) ?? forms[0];
    if (!form) return;
    const box = photo.getBoundingClientRect();
    form.querySelector("[name=x]").value = (((event.clientX - box.left) / box.width) * 100).toFixed(1);
    form.querySelector("[name=y]").value = (((event.clientY - box.top) / box.height) * 100).toFixed(1);
    last = undefined;
    form.requestSubmit();
  });
}
