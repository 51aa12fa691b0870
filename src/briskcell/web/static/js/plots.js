// Curves on canvas. The server sends the series; here they get axes, colours of the theme, named marks, and below them a line
// of samples with their names and the figures at the cursor, or else where the slider stands.
import { tick } from "./figures.js";

const drawn = new WeakMap();

export function startPlots() {
  const draw = () => document.querySelectorAll(".plot[data-plot]").forEach(show);
  draw();
  document.addEventListener("htmx:after:swap", draw);
  new ResizeObserver(() => document.querySelectorAll(".plot").forEach((el) => resize(el))).observe(document.body);
  matchMedia("(prefers-color-scheme: dark)").addEventListener("change", () => {
    document.querySelectorAll(".plot[data-plot]").forEach((el) => { el.drawnAs = ""; show(el); });
  });
  document.addEventListener("input", (event) => {
    if (event.target.closest("#at")) document.querySelectorAll(".plot[data-plot]").forEach((el) => drawn.get(el)?.redraw(false));
  });
  document.fonts?.ready.then(() => document.querySelectorAll(".plot[data-plot]").forEach((el) => { el.drawnAs = ""; show(el); }));
}

function show(el) {
  if (el.drawnAs === el.dataset.plot) return;
  el.drawnAs = el.dataset.plot;
  drawn.get(el)?.destroy();
  el.querySelectorAll(".plot-names").forEach((n) => n.remove());
  const data = JSON.parse(el.dataset.plot);
  const colour = (name) => resolved(el, name);
  const roles = {
    limit: { stroke: colour("kelp"), width: 2.4 },
    demand: { stroke: colour("rust"), width: 2.2, dash: [10, 4] },
    quiet: { stroke: colour("quiet"), width: 1.6, dash: [2, 4] },
    other: { stroke: colour("tide"), width: 2, dash: [14, 3, 3, 3] },
  };
  const axis = (unit, side, scale) => ({
    scale, side, stroke: colour("ink"), font: "12px Bench", grid: { show: side !== 1, stroke: colour("mist"), width: 1 },
    ticks: { stroke: colour("line"), width: 1, size: 4 }, size: side % 2 ? 56 : 34,
    values: (_u, marks) => marks.map((v) => tick(v, unit, 2)),
  });
  const x = data.x.values;
  const right = data.series.find((s) => s.axis === "right");
  const left = data.series.find((s) => s.axis !== "right");
  const order = data.x.reverse ? [...x.keys()].sort((a, b) => x[a] - x[b]) : [...x.keys()];
  // A course that jumps has two points at one time: no curve goes through both.
  const smooth = order.every((k, n) => n === 0 || x[k] > x[order[n - 1]]) ? uPlot.paths.spline() : uPlot.paths.linear();
  const plot = new uPlot({
    width: el.clientWidth || 480, height: 240,
    legend: { show: false }, cursor: { points: { size: 7 }, y: false }, pxAlign: 0,
    scales: {
      x: { time: false, dir: data.x.reverse ? -1 : 1 },
      y: { range: (_u, low, high) => span(low, high, left.unit, data.marks) },
      y2: { range: (_u, low, high) => (right?.unit === "%" ? [0, 100] : span(low, high, "V", [])) },
    },
    axes: [axis(data.x.unit, 2, "x"), axis(left.unit, 3, "y"), ...(right ? [axis(right.unit, 1, "y2")] : [])],
    series: [
      {},
      ...data.series.map((s) => ({
        scale: s.axis === "right" ? "y2" : "y", points: { show: false }, pxAlign: 0, paths: smooth, ...roles[s.role],
      })),
    ],
    hooks: {
      drawClear: [(u) => shade(u, data.shade, colour)],
      draw: [(u) => { marks(u, data.marks, colour); slider(u, data, colour); names(el, u, data, u.cursor.idx); }],
      setCursor: [(u) => names(el, u, data, u.cursor.idx)],
    },
  }, [order.map((k) => x[k]), ...data.series.map((s) => order.map((k) => s.values[k]))], el);
  drawn.set(el, plot);
}

// Where the slider stands on this plot's axis: states of charge go with its points, in the order sent.
function sliderAt(data) {
  const soc = Number(document.querySelector("#at [name=soc]")?.value ?? NaN);
  const socs = data.soc ?? (data.x.reverse ? data.x.values : null);
  if (!socs || Number.isNaN(soc)) return null;
  for (let k = 1; k < socs.length; k++) {
    const [a, b] = [socs[k - 1], socs[k]];
    if ((a - soc) * (b - soc) <= 0 && a !== b) return data.x.values[k - 1] + ((soc - a) / (b - a)) * (data.x.values[k] - data.x.values[k - 1]);
  }
  return null;
}

function slider(u, data, colour) {
  const at = sliderAt(data);
  if (at === null) return;
  const { ctx } = u;
  const x = u.valToPos(at, "x", true);
  ctx.save();
  ctx.strokeStyle = ctx.fillStyle = colour("ink");
  ctx.lineWidth = 1.2 * devicePixelRatio;
  ctx.setLineDash([]);
  ctx.beginPath();
  ctx.moveTo(x, u.bbox.top); ctx.lineTo(x, u.bbox.top + u.bbox.height); ctx.stroke();
  data.series.forEach((s, k) => {
    const value = u.data[k + 1][u.valToIdx(at)];
    if (value == null) return;
    ctx.beginPath();
    ctx.arc(x, u.valToPos(value, s.axis === "right" ? "y2" : "y", true), 3.5 * devicePixelRatio, 0, 7);
    ctx.fill();
  });
  ctx.restore();
}

// A sample of each line with its name and figure.
function names(el, u, data, idx) {
  let line = el.querySelector(".plot-names");
  if (!line) {
    line = document.createElement("p");
    line.className = "plot-names";
    line.append(document.createElement("span"), ...data.series.map((s) => {
      const name = document.createElement("span");
      const sample = document.createElement("i");
      sample.className = `sample line-${s.role}`;
      name.append(sample, ` ${s.label} `, document.createElement("b"));
      return name;
    }));
    el.append(line);
  }
  const at = sliderAt(data);
  const k = idx ?? (at === null ? null : u.valToIdx(at));
  const [where, ...rest] = line.children;
  where.textContent = k === null ? "" : `at ${tick(u.data[0][k], data.x.unit, 1)}`;
  rest.forEach((name, n) => {
    const value = k === null ? null : u.data[n + 1][k];
    name.querySelector("b").textContent = value == null ? "" : tick(value, data.series[n].unit, 3);
  });
}

// A token of the theme as the colour it stands for here: the canvas does not know of light and dark.
export function resolved(el, name) {
  el.style.color = `var(--${name})`;
  const colour = getComputedStyle(el).color;
  el.style.color = "";
  return colour;
}

// Amperes start at nothing; volts at what they span, with the marks in sight.
function span(low, high, unit, named) {
  if (low == null) return [0, 1];
  const ys = named.filter((m) => m.y !== undefined).map((m) => m.y);
  const top = Math.max(high, ...ys);
  if (unit === "A") return [0, top * 1.1 || 1];
  const bottom = Math.min(low, ...ys);
  const room = Math.max((top - bottom) * 0.08, 0.05);
  return [bottom - room, top + room];
}

// Hatched, so that it is seen without colour.
function shade(u, area, colour) {
  if (!area) return;
  const { ctx } = u;
  const [left, right] = [u.valToPos(area.from, "x", true), u.valToPos(area.to, "x", true)];
  ctx.save();
  ctx.beginPath();
  ctx.rect(left, u.bbox.top, right - left, u.bbox.height);
  ctx.clip();
  ctx.strokeStyle = colour("brass");
  ctx.globalAlpha = 0.45;
  ctx.lineWidth = devicePixelRatio;
  for (let x = left - u.bbox.height; x < right; x += 8 * devicePixelRatio) {
    ctx.beginPath();
    ctx.moveTo(x, u.bbox.top + u.bbox.height);
    ctx.lineTo(x + u.bbox.height, u.bbox.top);
    ctx.stroke();
  }
  ctx.globalAlpha = 1;
  ctx.fillStyle = colour("ink");
  ctx.font = `${12 * devicePixelRatio}px Bench`;
  const wide = ctx.measureText(area.words).width;
  if (wide < right - left) ctx.fillText(area.words, (left + right - wide) / 2, u.bbox.top + u.bbox.height - 8 * devicePixelRatio);
  ctx.restore();
}

function marks(u, list, colour) {
  const { ctx } = u;
  ctx.save();
  ctx.strokeStyle = ctx.fillStyle = colour("ink");
  ctx.lineWidth = devicePixelRatio;
  ctx.setLineDash([3 * devicePixelRatio, 3 * devicePixelRatio]);
  ctx.textAlign = "left";
  ctx.textBaseline = "alphabetic";
  ctx.font = `${12 * devicePixelRatio}px Bench`;
  let line = 0;
  for (const mark of list) {
    ctx.beginPath();
    const words = mark.words;
    if (mark.y !== undefined) {
      const y = u.valToPos(mark.y, "y", true);
      ctx.moveTo(u.bbox.left, y); ctx.lineTo(u.bbox.left + u.bbox.width, y); ctx.stroke();
      const room = mark.side === "right" ? u.bbox.width - ctx.measureText(words).width - 12 * devicePixelRatio : 6 * devicePixelRatio;
      ctx.fillText(words, u.bbox.left + room, y - 5 * devicePixelRatio);
    } else {
      const x = u.valToPos(mark.x, "x", true);
      ctx.moveTo(x, u.bbox.top); ctx.lineTo(x, u.bbox.top + u.bbox.height); ctx.stroke();
      const wide = ctx.measureText(words).width + 6 * devicePixelRatio;
      const at = x - wide < u.bbox.left ? x + 6 * devicePixelRatio : x - wide;
      ctx.fillText(words, at, u.bbox.top + (14 + 15 * line++) * devicePixelRatio);
    }
  }
  ctx.restore();
}

function resize(el) {
  const plot = drawn.get(el);
  if (plot && el.clientWidth && Math.abs(plot.width - el.clientWidth) > 2) plot.setSize({ width: el.clientWidth, height: 240 });
}
