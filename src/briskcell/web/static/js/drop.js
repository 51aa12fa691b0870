// A plan dropped on the page goes the way of a chosen file.
export function startDrop() {
  const form = document.querySelector("form[data-drop]");
  if (!form) return;
  const file = form.querySelector("input[type=file]");
  file.addEventListener("change", () => { if (file.files.length) form.requestSubmit(); });
  document.addEventListener("dragover", (event) => {
    if (![...event.dataTransfer.types].includes("Files")) return;
    event.preventDefault();
    form.classList.add("over");
  });
  document.addEventListener("dragleave", (event) => { if (!event.relatedTarget) form.classList.remove("over"); });
  document.addEventListener("drop", (event) => {
    if (!event.dataTransfer.files.length) return;
    event.preventDefault();
    form.classList.remove("over");
    file.files = event.dataTransfer.files;
    form.requestSubmit();
  });
}
