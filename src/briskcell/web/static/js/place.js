// Blocks of the stack: dragged over the drawing, or stepped with the arrow keys; where they end is sent once.
export function startPlaces() {
  document.addEventListener("pointerdown", (event) => {
    const block = event.target.closest("[data-block]");
    if (!block || event.button) return;
    event.preventDefault();
    block.focus();
    block.setPointerCapture(event.pointerId);
    const began = point(block, event);
    const move = (e) => { const now = point(block, e); shift(block, now.x - began.x, began.y - now.y); };
    const end = (e) => {
      for (const name of ["pointermove", "pointerup", "pointercancel"]) block.removeEventListener(name, name === "pointermove" ? move : end);
      if (e.type === "pointercancel") shift(block, 0, 0);
      else send(block);
    };
    block.addEventListener("pointermove", move);
    block.addEventListener("pointerup", end);
    block.addEventListener("pointercancel", end);
  });
  document.addEventListener("keydown", (event) => {
    const block = event.target.closest?.("[data-block]");
    const by = { ArrowRight: [1, 0], ArrowLeft: [-1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[event.key];
    if (!block || !by) return;
    event.preventDefault();
    const size = event.shiftKey ? 10 : 1;
    shift(block, (block.by?.[0] ?? 0) + by[0] * size, (block.by?.[1] ?? 0) + by[1] * size);
    clearTimeout(block.sending);
    block.sending = setTimeout(() => send(block), 300);
  });
}

// The pointer in millimetres of the drawing.
function point(block, event) {
  const svg = block.ownerSVGElement;
  const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
  return { x: at.x / Number(svg.dataset.scale), y: at.y / Number(svg.dataset.scale) };
}

function shift(block, x, y) {
  if (!block.hasAttribute("transform")) block.sent = [0, 0]; // not moved since it was drawn
  block.by = [Math.round(x * 2) / 2, Math.round(y * 2) / 2];
  const scale = Number(block.ownerSVGElement.dataset.scale);
  block.setAttribute("transform", `translate(${(block.sent[0] + block.by[0]) * scale} ${-(block.sent[1] + block.by[1]) * scale})`);
}

function send(block) {
  const [x, y] = block.by ?? [0, 0];
  if (!block.isConnected || (!x && !y)) return;
  const { part, x: left, y: below } = JSON.parse(block.dataset.block);
  block.by = undefined;
  block.sent = [block.sent[0] + x, block.sent[1] + y];
  block.dataset.block = JSON.stringify({ part, x: left + x, y: below + y }); // until the answer draws it there
  const values = { part, slot: "place", x: `${(left + x).toFixed(1)} mm`, y: `${(below + y).toFixed(1)} mm` };
  const form = new FormData(document.getElementById("at"));
  for (const [name, value] of form) values[name] ??= value;
  htmx.ajax("POST", block.ownerSVGElement.dataset.places, { source: block, target: "#build", swap: "outerMorph", values });
}
