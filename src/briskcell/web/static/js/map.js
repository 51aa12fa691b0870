// The current map answers the slider by itself, with numbers the page has fetched once for its revision: the server has worked
// out every width and height, and here they are put in their places. What the server draws at rest of the slider is the same
// picture: the two are compared in a test.
import { figure } from "./figures.js";

let known = null;

export function startMap() {
  load();
  document.addEventListener("htmx:after:swap", load);
  document.addEventListener("input", (event) => {
    if (event.target.closest("#at") && known && document.getElementById("map-drawing")) show();
  });
}

async function load() {
  const kept = document.getElementById("flows"); // a page that stands alone has them in it
  if (kept) {
    known ??= { from: "here", ...JSON.parse(kept.textContent) };
    show();
    return;
  }
  const map = document.querySelector("#map-drawing[data-flows]");
  if (!map || known?.from === map.dataset.flows) return;
  const from = map.dataset.flows;
  const answer = await fetch(from);
  if (!answer.ok || document.querySelector("#map-drawing")?.dataset.flows !== from) return;
  known = { from, ...(await answer.json()) };
  document.getElementById("map-drawing").dataset.ready = "yes";
}

const STATES = ["rest", "play", "peak"];
const WORDS = ["holds", "close", "fails"];

export function show() {
  const form = document.getElementById("at");
  const percent = Number(form.elements.soc.value);
  const row = STATES.indexOf(new FormData(form).get("state"));
  const point = nearest(known.soc, percent);
  const at = (list) => list[row][point];
  const map = document.getElementById("map-drawing");
  document.querySelector('#at [data-is="percent"]').textContent = `${percent} %`;
  const left = known.left[point];
  const words = !known.draws ? "" : left === null ? "stopped" : `${figure(left, "h")} left`;
  document.querySelector('#at [data-is="left"]').textContent = words;
  for (const mark of map.querySelectorAll("[data-node]")) drawMark(mark, known.marks[mark.dataset.node], at, known.fill[point]);
  for (const line of map.querySelectorAll("[data-row]")) drawRow(line, known.rows[line.dataset.row], at);
  for (const text of map.querySelectorAll("[data-charge]")) {
    text.textContent = `charges ${figure(known.charge[text.dataset.charge][point], "A")}`;
  }
  for (const dot of document.querySelectorAll("[data-now][data-scale]")) {
    const [low, high, start, end] = dot.dataset.scale.split(" ").map(Number);
    const share = (at(known.volts[dot.dataset.now]) - low) / (high - low);
    dot.setAttribute("cx", (start + Math.min(Math.max(share, -0.02), 1.02) * (end - start)).toFixed(1));
  }
  map.querySelector(".collapse").toggleAttribute("hidden", !known.collapsed[row][point]);
}

function drawMark(mark, flow, at, tall) {
  const [volts, watts, lost, half] = [flow.v, flow.w, flow.l, flow.half].map(at);
  const amps = volts > 0 ? watts / volts : 0;
  const set = (name, text) => { const el = mark.querySelector(`[data-is="${name}"]`); if (el) el.textContent = text; };
  const kind = mark.dataset.kind;
  if (kind === "pack") {
    set("sub", `${figure(volts, "V")} · ${figure(amps, "A")}`);
    const fill = mark.querySelector(".tank-fill");
    fill.setAttribute("height", tall);
    fill.setAttribute("y", Number(fill.dataset.floor) - tall);
  } else if (kind === "board") {
    set("volts", figure(volts, "V"));
    const box = mark.querySelector(".board");
    box.setAttribute("y", Number(mark.dataset.y) - half);
    box.setAttribute("height", 2 * half);
    if (flow.s) {
      set("sub", `${figure(Math.abs(at(flow.s)), "%")} ${at(flow.s) >= 0 ? "spare" : "short"} now`);
      mark.querySelector('[data-is="sub"]').setAttribute("class", `sub ${WORDS[at(flow.now)]}`);
    }
  } else if (kind === "links") {
    set("sub", `−${figure(amps > 0 ? lost / amps : 0, "V")}`);
  } else {
    set("sub", figure(volts, "V"));
  }
  set("lost", figure(lost, "W"));
  mark.querySelector(".loss")?.setAttribute("stroke-width", at(flow.loss));
  mark.querySelectorAll(".band").forEach((band, k) => {
    const { from: [x0, straight, x1, y1], y, thick } = flow.bands[k];
    const middle = (x0 + straight) / 2;
    band.setAttribute("d", `M${x0},${at(y)} C${middle},${at(y)} ${middle},${y1} ${straight},${y1} H${x1}`);
    band.setAttribute("stroke-width", at(thick));
  });
}

function drawRow(line, flow, at) {
  const watts = at(flow.w);
  line.querySelector('[data-is="watts"]').textContent = figure(watts, "W");
  const flows = line.querySelector('[data-is="flows"]');
  if (!flows) return;
  const volts = at(flow.v);
  const amps = figure(volts > 0 ? watts / volts : 0, "A");
  flows.textContent = line.closest(".strip") ? `${amps} at ${figure(volts, "V")}` : `${figure(volts, "V")} · ${amps}`;
}

function nearest(list, value) {
  let best = 0;
  list.forEach((v, k) => { if (Math.abs(v - value) < Math.abs(list[best] - value)) best = k; });
  return best;
}
