// A strip chart of what is asked and made: the signals of one thing, a chart for each unit.
import {el, write} from "./parts.js";

/** The colours of print, and for the dark; by what a signal is. */
const colours = [
  [/^(asked|wanted_speed|thinks_.*|demand.*)$/, "#b07a17", "#e0b15a"],
  [/^(made|speed|x|y|heading)$/, "#2a5c9a", "#7fb0ea"],
  [/current|phase_a/, "#bd5b0b", "#f0975a"],
  [/phase_b/, "#68458f", "#b99ade"],
  [/phase_c|lag/, "#a5322a", "#ef8d84"],
  [/supply|power/, "#1f7a5c", "#6cc7a4"],
  [/rise/, "#a5322a", "#ef8d84"],
];
const dark = matchMedia("(prefers-color-scheme: dark)");
const keptSeconds = 150;

function colourOf(signal) {
  for (const [form, light, night] of colours) if (form.test(signal)) return dark.matches ? night : light;
  return dark.matches ? "#b6b9bf" : "#5d6168";
}

export class Charts {
  constructor(into) {
    this.into = into;
    this.rows = [];
    this.charts = [];
    this.isHeld = false;
    dark.addEventListener("change", () => this.show(this.thing));
  }

  signals(signals) {
    this.all = signals;
    this.rows = [];
  }

  take(rows) {
    const last = this.rows.length ? this.rows[this.rows.length - 1][0] : -1;
    for (const row of rows) if (row[0] > last) this.rows.push(row);
    const from = this.rows.length ? this.rows[this.rows.length - 1][0] - keptSeconds : 0;
    let drop = 0;
    while (drop < this.rows.length && this.rows[drop][0] < from) ++drop;
    if (drop > 200) this.rows.splice(0, drop);
    this.draw();
  }

  get latest() {
    return this.rows[this.rows.length - 1];
  }
  /** The value now of a signal by its name. */
  value(name) {
    const place = this.all?.findIndex((signal) => signal.name === name) ?? -1;
    return place < 0 || !this.latest ? undefined : this.latest[place + 1];
  }

  /** @param thing  name of what is shown */
  show(thing) {
    this.thing = thing;
    for (const chart of this.charts) chart.graph.destroy();
    this.charts = [];
    this.into.replaceChildren();
    if (!this.all) return;
    const units = new Map();
    this.all.forEach((signal, place) => {
      const [owner, name] = signal.name.split(".");
      if (owner !== thing || signal.name.includes("thinks_")) return;
      if (!units.has(signal.unit)) units.set(signal.unit, []);
      units.get(signal.unit).push({name, place: place + 1});
    });
    for (const [unit, signals] of units) this.addChart(unit, signals);
    if (units.size === 0) this.into.append(el("p", {class: "small", text: "Nothing of it is recorded."}));
    this.draw();
  }

  addChart(unit, signals) {
    const keys = signals.map((signal) => {
      const amount = el("span");
      const swatch = el("span", {class: "swatch"});
      swatch.style.background = colourOf(signal.name);
      return {signal, amount, element: el("span", {class: "key"}, swatch, `${signal.name.replaceAll("_", " ")} `, amount)};
    });
    const canvas = el("canvas", {role: "img", "aria-label": `${this.thing}: ${signals.map((s) => s.name.replaceAll("_", " ")).join(", ")} in ${unit}, against time`});
    this.into.append(el("div", {class: "charts-of"}, el("div", {class: "chart-head"}, el("strong", {text: unit}), ...keys.map((key) => key.element)), el("div", {class: "chart"}, canvas)));
    const ink = dark.matches ? "#aeb0b4" : "#575c66";
    const grid = {color: dark.matches ? "#2b3038" : "#e4dfd3", borderColor: dark.matches ? "#3a3f47" : "#cdc6b8"};
    const graph = new Chart(canvas, {
      type: "line",
      data: {datasets: signals.map((signal) => ({data: [], borderColor: colourOf(signal.name), borderWidth: 1.8, pointRadius: 0, spanGaps: false}))},
      options: {
        animation: false, parsing: false, normalized: true, maintainAspectRatio: false, events: [],
        plugins: {legend: {display: false}, tooltip: {enabled: false}},
        scales: {
          x: {type: "linear", grid, ticks: {color: ink, maxRotation: 0, includeBounds: false, callback: (s) => `${Number(s.toFixed(1))} s`.replace("-", "−")}},
          y: {grid, afterFit: (axis) => (axis.width = 52), ticks: {color: ink, callback: (v) => Number(v.toPrecision(4))}},
        },
      },
    });
    this.charts.push({graph, signals, keys, unit});
  }

  draw() {
    if (this.isHeld || !this.latest || this.into.offsetParent === null) return;
    const span = this.span ?? 30;
    const until = this.latest[0];
    const from = this.rows.findIndex((row) => row[0] >= until - span - 1);
    const rows = this.rows.slice(Math.max(0, from));
    for (const chart of this.charts) {
      const {graph} = chart;
      chart.signals.forEach((signal, i) => (graph.data.datasets[i].data = rows.map((row) => ({x: row[0] - until, y: row[signal.place]}))));
      const {x, y} = graph.options.scales;
      [x.min, x.max] = [-span, 0];
      x.ticks.stepSize = span / 3;
      [y.min, y.max, y.ticks.stepSize] = rangeOf(rows, chart.signals);
      graph.update("none");
      for (const key of chart.keys) {
        const value = this.latest[key.signal.place];
        write(key.amount, value === null ? "–" : Number(value.toPrecision(4)).toString());
      }
    }
  }
}

function roundStep(least) {
  const power = 10 ** Math.floor(Math.log10(least));
  return power * ([1, 2, 5].find((round) => round * power >= least * 0.999) ?? 10);
}

/** Round ends with some room, so that noise does not fill a chart that stands still. */
function rangeOf(rows, signals) {
  let [low, high] = [Infinity, -Infinity];
  for (const row of rows)
    for (const {place} of signals) {
      const value = row[place];
      if (value !== null) [low, high] = [Math.min(low, value), Math.max(high, value)];
    }
  if (low > high) return [0, 1, 0.5];
  const most = Math.max(Math.abs(low), Math.abs(high));
  const room = Math.max(0.05 * (high - low), most > 0 ? 0.02 * most : 1);
  const step = roundStep((high - low + 2 * room) / 4);
  return [Math.floor((low - room) / step) * step, Math.ceil((high + room) / step) * step, step];
}
