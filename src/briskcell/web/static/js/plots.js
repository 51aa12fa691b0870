// Curves on canvas. The server sends the series; here they only get axes, colours of the theme, and named marks.
const drawn = new WeakMap();

export function startPlots() {
  const draw = () => document.querySelectorAll(".plot[data-plot]").forEach(show);
  draw();
  document.addEventListener("htmx:after:swap", draw);
  new ResizeObserver(() => document.querySelectorAll(".plot").forEach((el) => resize(el))).observe(document.body);
  matchMedia("(prefers-color-scheme: dark)").addEventListener("change", () => {
    document.querySelectorAll(".plot[data-plot]").forEach((el) => { el.drawnAs = ""; show(el); });
  });
  document.fonts?.ready.then(() => document.querySelectorAll(".plot[data-plot]").forEach((el) => { el.drawnAs = ""; show(el); }));
}

function show(el) {
  if (el.drawnAs === el.dataset.plot) return;
  el.drawnAs = el.dataset.plot;
  drawn.get(el)?.destroy();
  el.querySelectorAll(".plot-note").forEach((n) => n.remove());
  const data = JSON.parse(el.dataset.plot);
  const colour = (name) => resolved(el, name);
  const roles = {
    limit: { stroke: colour("kelp"), width: 2.4 },
    demand: { stroke: colour("rust"), width: 2.2, dash: [10, 4] },
    quiet: { stroke: colour("quiet"), width: 1.6, dash: [2, 4] },
  };
  const axis = (unit, side, scale) => ({
    scale, side, stroke: colour("ink"), font: "12px Bench", grid: { show: side !== 1, stroke: colour("mist"), width: 1 },
    ticks: { stroke: colour("line"), width: 1, size: 4 }, size: side % 2 ? 56 : 34,
    values: (_u, marks) => marks.map((v) => `${+v.toFixed(2)} ${unit}`),
  });
  const x = data.x.values;
  const right = data.series.find((s) => s.axis === "right");
  const left = data.series.find((s) => s.axis !== "right");
  const order = data.x.reverse ? [...x.keys()].sort((a, b) => x[a] - x[b]) : [...x.keys()];
  const plot = new uPlot({
    width: el.clientWidth || 480, height: 240,
    legend: { live: true }, cursor: { points: { size: 7 } },
    scales: {
      x: { time: false, dir: data.x.reverse ? -1 : 1 },
      y: { range: (_u, low, high) => span(low, high, left.unit, data.marks) },
      y2: { range: (_u, low, high) => (right?.unit === "%" ? [0, 100] : span(low, high, "V", [])) },
    },
    axes: [axis(data.x.unit, 2, "x"), axis(left.unit, 3, "y"), ...(right ? [axis(right.unit, 1, "y2")] : [])],
    series: [
      { label: data.x.label, value: (_u, v) => (v == null ? "" : `${+v.toFixed(2)} ${data.x.unit}`) },
      ...data.series.map((s) => ({
        label: s.label, scale: s.axis === "right" ? "y2" : "y", points: { show: false }, ...roles[s.role],
        value: (_u, v) => (v == null ? "" : `${+v.toFixed(3)} ${s.unit}`),
      })),
    ],
    hooks: { drawClear: [(u) => shade(u, data.shade, colour)], draw: [(u) => marks(u, data.marks, colour)] },
  }, [order.map((k) => x[k]), ...data.series.map((s) => order.map((k) => s.values[k]))], el);
  drawn.set(el, plot);
}

// A token of the theme as the colour it stands for here: the canvas does not know of light and dark.
function resolved(el, name) {
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
