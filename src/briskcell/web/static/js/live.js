// A run in the making: its readings stream in and are drawn. When the line to the server is cut it says so, and goes on from the
// last reading that was seen.
import { figure, tick } from "./figures.js";
import { resolved } from "./plots.js";

const MOST = 3000; // points kept here; the server keeps them all
let watched = null;

export function startLive() {
  const look = () => {
    const el = document.querySelector(".run[data-run]");
    if (watched && (!el || el.dataset.run !== watched.id || !document.contains(watched.el))) leave();
    if (el && !watched) watch(el);
  };
  look();
  document.addEventListener("htmx:after:swap", look);
  new ResizeObserver(() => watched?.plot?.setSize({ width: width(watched.el), height: 220 })).observe(document.body);
}

function leave() {
  watched.source?.close();
  watched.plot?.destroy();
  watched = null;
}

function watch(el) {
  const sent = JSON.parse(el.querySelector(".live-plot").dataset.live);
  const run = { id: el.dataset.run, el, seen: sent.seen, series: {} };
  for (const s of sent.series) run.series[s.name ?? s.unit] = { unit: s.unit, named: s.name, t: s.t, v: s.v };
  watched = run;
  draw(run);
  if (el.dataset.state === "running") listen(run);
}

function listen(run) {
  run.source = new EventSource(`${run.el.dataset.stream}?seen=${run.seen}`);
  run.source.addEventListener("message", (event) => take(run, JSON.parse(event.data)));
  run.source.addEventListener("error", () => {
    say(run, "The line to Brisk Cell is cut. The run goes on; this page catches up as soon as it is back.");
    if (run.source.readyState !== EventSource.CLOSED) return; // it tries again by itself
    setTimeout(() => { if (watched === run) listen(run); }, 1500);
  });
}

function take(run, news) {
  if (news.seen < run.seen) return;
  run.seen = news.seen;
  const main = run.el.dataset.unit;
  for (const [t, first, amps] of news.rows) {
    add(run, main === "Ω" ? "Ω" : "V", t, first);
    add(run, "A", t, amps);
  }
  const last = run.series[main]?.v.at(-1);
  if (last !== undefined) run.el.querySelector("[data-now]").textContent = figure(last, main);
  const bar = run.el.querySelector("[data-share]");
  if (bar && news.share !== null) bar.value = news.share;
  say(run, news.cut !== null ? `Nothing comes from the instrument for ${Math.round(news.cut)} s; it is tried again and again.` : news.words || "It runs.");
  draw(run);
  if (news.state !== "running") {
    run.source.close();
    run.el.dataset.state = news.state;
    run.el.querySelector("[data-again]")?.click();
  }
}

function add(run, unit, t, value) {
  if (value === null) return;
  const s = (run.series[unit] ??= { unit, t: [], v: [] });
  s.t.push(t);
  s.v.push(value);
  if (s.t.length > MOST) halve(s);
}

// Half as many points: of every four the least and the most, in their order.
function halve(s) {
  const [t, v] = [[], []];
  for (let k = 0; k < s.t.length; k += 4) {
    const at = [0, 1, 2, 3].map((j) => Math.min(k + j, s.t.length - 1));
    const low = at.reduce((a, b) => (s.v[b] < s.v[a] ? b : a));
    const high = at.reduce((a, b) => (s.v[b] > s.v[a] ? b : a));
    for (const j of [...new Set([low, high])].sort((a, b) => a - b)) { t.push(s.t[j]); v.push(s.v[j]); }
  }
  [s.t, s.v] = [t, v];
}

function draw(run) {
  const lines = Object.values(run.series).filter((s) => s.t.length);
  if (!lines.length || run.drawn > performance.now() - 250) return later(run);
  run.drawn = performance.now();
  const data = uPlot.join(lines.map((s) => [s.t, s.v]));
  const drawn = lines.map((s) => s.named ?? s.unit).join();
  if (run.plot && run.drawnAs === drawn) run.plot.setData(data);
  else {
    run.plot?.destroy();
    run.drawnAs = drawn;
    run.plot = new uPlot(options(run.el, lines), data, run.el.querySelector(".live-plot"));
  }
}

function later(run) {
  run.timer ??= setTimeout(() => { run.timer = null; if (watched === run) draw(run); }, 260);
}

function options(el, lines) {
  const units = [...new Set(lines.map((s) => s.unit))];
  const colour = (name) => resolved(el, name);
  const look = (s) => (s.named ? { stroke: colour("tide"), width: 2, dash: [4, 4] }
    : s.unit === "A" ? { stroke: colour("rust"), width: 2, dash: [10, 4] } : { stroke: colour("kelp"), width: 2 });
  const axis = (unit, k) => ({
    scale: unit, side: k ? 1 : 3, stroke: colour("ink"), font: "12px Bench", size: 60,
    grid: { show: !k, stroke: colour("mist"), width: 1 }, ticks: { stroke: colour("line"), width: 1, size: 4 },
    values: (_u, marks) => marks.map((v) => tick(v, unit, 4)),
  });
  return {
    width: width(el), height: 220, legend: { show: false }, pxAlign: 0,
    scales: { x: { time: false }, A: { range: (_u, low, high) => [Math.min(low ?? 0, 0), (high || 1) * 1.1] } },
    axes: [{ stroke: colour("ink"), font: "12px Bench", space: 110, grid: { stroke: colour("mist"), width: 1 }, values: (_u, marks) => marks.map(clock) },
      ...units.map(axis)],
    series: [{}, ...lines.map((s) => ({ scale: s.unit, spanGaps: true, points: { show: false }, ...look(s) }))],
  };
}

function width(el) {
  return el.querySelector(".live-plot").clientWidth || 480;
}

function clock(seconds) {
  const s = Math.round(seconds);
  const two = (n) => String(n).padStart(2, "0");
  return s < 3600 ? `${Math.floor(s / 60)}:${two(s % 60)} min` : `${Math.floor(s / 3600)}:${two(Math.floor((s % 3600) / 60))} h`;
}

function say(run, words) {
  const said = run.el.querySelector("[data-said]");
  if (said.textContent !== words) said.textContent = words;
}
