// The current map answers the slider by itself, from figures the page has fetched once for its revision.
// What the server draws at rest of the slider is the same picture: the two are compared in a test.
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

export function show() {
  const form = document.getElementById("at");
  const percent = Number(form.elements.soc.value);
  const row = STATES.indexOf(new FormData(form).get("state"));
  const point = nearest(known.soc, percent);
  const map = document.getElementById("map-drawing");
  const scale = Number(map.dataset.scale);
  document.querySelector('#at [data-is="percent"]').textContent = `${percent} %`;
  const left = known.left[point];
  document.querySelector('#at [data-is="left"]').textContent = !known.draws ? "" : left === null ? "stopped" : `${clock(left)} left`;
  for (const mark of map.querySelectorAll("[data-node]")) drawMark(mark, row, point, scale);
  for (const line of map.querySelectorAll("[data-row]")) drawRow(line, row, point);
  for (const text of map.querySelectorAll("[data-charge]")) {
    text.textContent = `charges ${words(known.charge[text.dataset.charge][point], "A")}`;
  }
  for (const dot of document.querySelectorAll("[data-now]")) {
    const [low, high, start, end] = dot.dataset.scale.split(" ").map(Number);
    const share = (known.nodes[dot.dataset.now].v[row][point] - low) / (high - low);
    dot.setAttribute("cx", (start + Math.min(Math.max(share, -0.02), 1.02) * (end - start)).toFixed(1));
  }
  map.querySelector(".collapse").toggleAttribute("hidden", !known.collapsed[row][point]);
}

function drawMark(mark, row, point, scale) {
  const flow = known.nodes[mark.dataset.node];
  const at = (list) => list[row][point];
  const amps = at(flow.v) > 0 ? at(flow.w) / at(flow.v) : 0;
  const set = (name, text) => { const el = mark.querySelector(`[data-is="${name}"]`); if (el) el.textContent = text; };
  const kind = mark.dataset.kind;
  if (kind === "pack") {
    set("sub", `${words(at(flow.v), "V")} · ${words(amps, "A")}`);
    const fill = mark.querySelector(".tank-fill");
    const all = Number(mark.dataset.tall);
    const tall = all * known.soc[point] / 100;
    fill.setAttribute("height", tall);
    fill.setAttribute("y", Number(mark.dataset.y) + all / 2 - tall);
  } else if (kind === "board") {
    set("volts", words(at(flow.v), "V"));
    const thick = Math.max((at(flow.w) + at(flow.l)) * scale, 0.8);
    const half = Math.max(thick / 2 + 5, 13);
    const box = mark.querySelector("rect");
    box.setAttribute("y", Number(mark.dataset.y) - half);
    box.setAttribute("height", 2 * half);
    if (flow.s) {
      set("sub", `${percentage(at(flow.s))} ${at(flow.s) >= 0 ? "spare" : "short"} now`);
      const state = at(flow.s) >= known.margins[0] - 1e-9 ? "holds" : at(flow.s) >= known.margins[1] - 1e-9 ? "close" : "fails";
      mark.querySelector('[data-is="sub"]').setAttribute("class", `sub ${state}`);
    }
  } else if (kind === "links") {
    set("sub", `−${words(amps > 0 ? at(flow.l) / amps : 0, "V")}`);
  } else {
    set("sub", words(at(flow.v), "V"));
  }
  set("lost", words(at(flow.l), "W"));
  mark.querySelector(".loss")?.setAttribute("stroke-width", Math.min(Math.max(at(flow.l) * scale, 4), 16).toFixed(1));
  const bands = [...mark.querySelectorAll(".band")];
  const wide = bands.map((b) => Math.max(into(b.dataset.of, row, point) * scale, 0.8));
  let y = Number(mark.dataset.y) - wide.reduce((a, b) => a + b, 0) / 2;
  bands.forEach((band, k) => {
    const [x0, straight, x1, y1] = band.dataset.course.split(" ").map(Number);
    const start = y + wide[k] / 2;
    const middle = (x0 + straight) / 2;
    band.setAttribute("d", `M${x0},${start.toFixed(1)} C${middle},${start.toFixed(1)} ${middle},${y1} ${straight},${y1} H${x1}`);
    band.setAttribute("stroke-width", wide[k].toFixed(1));
    y += wide[k];
  });
}

// Watts into some nodes, with what is lost in them.
function into(ids, row, point) {
  return ids.split(" ").reduce((sum, id) => sum + known.nodes[id].w[row][point] + known.nodes[id].l[row][point], 0);
}

function drawRow(line, row, point) {
  if (!line.dataset.load) {
    line.querySelector('[data-is="watts"]').textContent = words(into(line.dataset.row, row, point), "W");
    return;
  }
  const flow = known.nodes[line.dataset.row];
  const volts = flow.v[row][point];
  const watts = flow.w[row][point];
  line.querySelector('[data-is="watts"]').textContent = words(watts, "W");
  const flows = line.querySelector('[data-is="flows"]');
  const amps = words(volts > 0 ? watts / volts : 0, "A");
  if (flows) flows.textContent = line.closest(".strip") ? `${amps} at ${words(volts, "V")}` : `${words(volts, "V")} · ${amps}`;
}

function nearest(list, value) {
  let best = 0;
  list.forEach((v, k) => { if (Math.abs(v - value) < Math.abs(list[best] - value)) best = k; });
  return best;
}

// As the server shows volts, amps and watts: two places, thousandths below a tenth.
function words(value, unit) {
  if (value === 0 || Math.abs(value) >= 0.1) return `${value.toFixed(2)} ${unit}`;
  const [size, prefix] = value >= 0.001 ? [value * 1000, "m"] : [value * 1e6, "µ"];
  return `${significant(size)} ${prefix}${unit}`;
}

function significant(exact) {
  const value = Number(exact.toPrecision(4));
  if (value >= 20 || Math.abs(value - Math.round(value)) < 1e-6) return value.toFixed(0);
  return value < 10 ? String(Number(value.toPrecision(2))) : value.toFixed(1);
}

function percentage(share) {
  return `${Math.round(Math.abs(share) * 100)} %`;
}

// Hours as the server shows them: to the minute.
function clock(hours) {
  const minutes = Math.round(hours * 60);
  return minutes < 60 ? `${minutes} min` : `${Math.floor(minutes / 60)} h ${String(minutes % 60).padStart(2, "0")}`;
}
