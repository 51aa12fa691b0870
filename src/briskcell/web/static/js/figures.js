// Figures in words, as the server shows them: a table that its own formatter writes holds the two together.
const PLACES = { V: 2, W: 2, Wh: 1, Ah: 2, mm: 1, "mm²": 2, "°C": 0, g: 0, "K/W": 0, K: 0, min: 0, "€": 2 };
const PREFIXED = ["V", "A", "W", "Wh", "Ω", "H", "Hz", "F"];
const STEPS = [[1e6, "M"], [1e3, "k"], [1, ""], [1e-3, "m"], [1e-6, "µ"], [1e-9, "n"]];
// A unit and the one that is preferred in its place, to that one's factor, offset and places.
const OTHERS = {
  "mm in": [1 / 25.4, 0, 2], "m in": [1 / 0.0254, 0, 1], "°C °F": [1.8, 32, 0], "K °F": [1.8, 0, 0], "Ah mAh": [1000, 0, 0],
  "g oz": [1 / 28.349523125, 0, 1],
};

// A figure at the precision it deserves, with its unit, or the one of the preference of whoever looks.
export function figure(value, unit, preferred = document.documentElement.dataset.units ?? "") {
  const units = preferred.split(" ");
  const other = units.find((wanted) => OTHERS[`${unit} ${wanted}`]);
  if (other) {
    const [factor, offset, places] = OTHERS[`${unit} ${other}`];
    return `${fixed(value * factor + offset, places)} ${other}`;
  }
  if (unit === "AWG" && units.includes("mm²")) return plain((Math.PI / 4) * (0.127 * 92 ** ((36 - value) / 39)) ** 2, "mm²");
  return plain(value, unit).replace("€", units.find((u) => ["$", "£", "kr"].includes(u)) ?? "€");
}

function plain(value, unit) {
  if (!Number.isFinite(value)) return "none";
  const sign = value < 0 && Number(value.toFixed(6)) !== 0 ? "−" : "";
  const size = Math.abs(value);
  if (unit === "h") {
    const minutes = Number(fixed(size * 60, 0));
    return sign + (minutes >= 60 ? `${Math.floor(minutes / 60)} h ${String(minutes % 60).padStart(2, "0")}` : `${minutes} min`);
  }
  if (unit === "%") return `${sign}${fixed(size * 100, 0)} %`;
  if (unit === "d") return `${sign}${fixed(size, 0)} day${fixed(size, 0) === "1" ? "" : "s"}`;
  if (PREFIXED.includes(unit) && size !== 0 && !(size >= 0.1 && size < 1000) && !(unit === "Hz" && size < 1000)) {
    const [factor, prefix] = STEPS.find(([f]) => size >= f * 0.9999999) ?? STEPS.at(-1);
    if (prefix) return `${sign}${significant(factor < 1 ? size * Math.round(1 / factor) : size / factor)} ${prefix}${unit}`;
  }
  if (unit === "A" && size < 10) return `${sign}${fixed(size, 2)} A`;
  if (unit in PLACES) return `${sign}${fixed(size, PLACES[unit])} ${unit}`;
  return `${sign}${significant(size)} ${unit}`.trimEnd();
}

function significant(exact) {
  const value = Number(exact.toPrecision(4)); // so that 19.99999 is 20, not 20.0
  if (value >= 100 || Number.isInteger(value)) return fixed(value, 0);
  if (value >= 10) return fixed(value, value >= 20 ? 0 : 1);
  const two = Number(fixed(value, 1 - Math.floor(Math.log10(value))));
  return two < 1e-4 ? two.toExponential().replace(/-(\d)$/, "-0$1") : String(two);
}

// As the server rounds: what lies exactly between two goes to the even one.
function fixed(value, places) {
  const scaled = value * 10 ** places;
  const between = Math.abs(scaled % 1) === 0.5 && Number.isInteger(value * 2 ** (places + 1));
  return between ? (2 * Math.round(scaled / 2) / 10 ** places).toFixed(places) : value.toFixed(places);
}

// A figure beside an axis: no more places than it has; hours as a clock shows them.
export function tick(value, unit, places) {
  if (unit !== "h") return `${+value.toFixed(places)} ${unit}`;
  const minutes = Math.round(value * 60);
  return `${Math.floor(minutes / 60)}:${String(minutes % 60).padStart(2, "0")}`;
}
