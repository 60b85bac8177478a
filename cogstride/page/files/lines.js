// Lines as a logic view: levels of the last while, with the last edges as they came.
import {el, svg} from "./parts.js";

const width = 1000;

export function showLines(into, view, thing) {
  const {seconds, all} = view;
  const mine = all.filter((line) => line.name.startsWith(`${thing}.`));
  into.replaceChildren(...(mine.length ? mine : all.filter((line) => line.edges.length > 0)).map((line) => row(line, seconds)));
  if (!into.children.length) into.append(el("p", {class: "small", text: "No line of it has changed."}));
  const [unit, times] = seconds < 0.1 ? ["ms", 1000] : ["s", 1];
  into.append(el("div", {class: "line-row"}, el("span"), el("div", {class: "ends"},
    el("span", {text: `−${seconds * times} ${unit}`}), el("span", {text: `${view.until_s.toFixed(4)} s on the bench`}))));
}

function row(line, seconds) {
  const x = (at) => ((at + seconds) / seconds) * width;
  const y = (high) => (high ? 5 : 25);
  const picture = svg("svg", {viewBox: `0 0 ${width} 30`, preserveAspectRatio: "none", role: "img", "aria-label": `${line.name}: ${line.edges.length} edges, now ${line.high !== (line.edges.length % 2 === 1) ? "high" : "low"}`});
  let level = line.high;
  let from = 0;
  if (line.left_out > 0) from = x(line.edges[0]); // what came before them is not shown
  let path = `M${from.toFixed(2)} ${y(level)}`;
  let band = null;
  const bands = [];
  for (const at of line.edges) {
    const here = x(at);
    // Edges closer than can be told apart are a band.
    if (here - from < 1.2) band = band ?? from;
    else if (band !== null) {
      bands.push([band, from]);
      band = null;
    }
    path += `H${here.toFixed(2)}V${y(!level)}`;
    level = !level;
    from = here;
  }
  if (band !== null) bands.push([band, from]);
  path += `H${width}`;
  for (const [begin, end] of bands) picture.append(svg("rect", {x: begin, y: 5, width: Math.max(1, end - begin), height: 20}));
  picture.append(svg("path", {d: path}));
  const name = line.name.split(".").slice(1).join(".") || line.name;
  return el("div", {class: "line-row"}, el("span", {text: line.left_out > 0 ? `${name} (the last ${line.edges.length})` : name}), picture);
}
