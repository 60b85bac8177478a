// Each thing drawn from what the rig says of it, and moved as it moves.
import {svg} from "./parts.js";

const still = matchMedia("(prefers-reduced-motion: reduce)");

/** A travel: its ends, switches and carriage. */
function travel(thing) {
  const width = 330;
  const height = 74;
  const low = Math.min(thing.hard_ends?.[0] ?? thing.from, thing.from);
  const high = Math.max(thing.hard_ends?.[1] ?? thing.to, thing.to);
  const margin = 0.04 * (high - low);
  const x = (place) => 20 + ((place - low + margin) / (high - low + 2 * margin)) * (width - 40);
  const picture = svg("svg", {class: "drawing", viewBox: `0 0 ${width} ${height}`, role: "img"});
  picture.append(svg("line", {class: "rail", x1: x(low), x2: x(high), y1: 38, y2: 38}));
  for (const place of thing.hard_ends ?? []) picture.append(svg("line", {class: "hard", x1: x(place), x2: x(place), y1: 20, y2: 56}));
  const switches = {};
  for (const each of thing.switches ?? []) {
    const from = each.from ?? low;
    const to = each.to ?? high;
    const zone = svg("rect", {class: "switch", x: Math.min(x(from), x(to) - 5), y: 50, width: Math.max(5, x(to) - x(from)), height: 8});
    zone.append(svg("title", {text: each.name}));
    switches[each.name] = zone;
    const middle = (x(from) + x(to)) / 2;
    picture.append(zone, svg("text", {x: middle, y: 71, "text-anchor": middle < 60 ? "start" : middle > width - 60 ? "end" : "middle", text: each.name}));
  }
  for (const [place, anchor] of [[thing.from, "start"], [thing.to, "end"]]) {
    picture.append(svg("line", {class: "limit", x1: x(place), x2: x(place), y1: 16, y2: 46}),
      svg("text", {x: x(place), y: 12, "text-anchor": anchor, text: `${Number(place.toFixed(2))} ${thing.unit}`}));
  }
  if (thing.stations)
    for (let k = 0; k < thing.stations; ++k) {
      const place = thing.from + ((thing.to - thing.from) * k) / thing.stations;
      picture.append(svg("circle", {class: "station", cx: x(place), cy: 38, r: 3}));
    }
  const body = svg("g", {class: "moves"}, svg("rect", {class: "body", x: -13, y: 24, width: 26, height: 22, rx: 5}));
  picture.append(body);
  return {
    picture,
    update(moved, acts) {
      const known = moved.homed && moved.place !== undefined;
      body.classList.toggle("unknown", !known);
      body.style.transform = `translateX(${x(known ? Math.max(low, Math.min(high, moved.place)) : (low + high) / 2)}px)`;
      for (const [name, zone] of Object.entries(switches)) zone.classList.toggle("acts", acts(name) === true);
    },
  };
}

/** Round: a ring with its stations, an arm with its ends, a shaft. */
function round(thing) {
  const picture = svg("svg", {class: "drawing", viewBox: "0 0 330 150", role: "img"});
  const [cx, cy, r] = [165, 75, 56];
  const sense = thing.clockwise ? 1 : -1;
  const at = (degrees, radius) => {
    const a = ((sense * degrees - 90) * Math.PI) / 180;
    return [cx + radius * Math.cos(a), cy + radius * Math.sin(a)];
  };
  picture.append(svg("circle", {class: "rail", cx, cy, r}));
  const switches = {};
  for (const each of thing.switches ?? []) {
    const [from, to] = [each.from ?? each.to - 4, each.to ?? each.from + 4];
    const [x1, y1] = at(from, r + 7);
    const [x2, y2] = at(to, r + 7);
    const zone = svg("path", {class: "switch", d: `M${x1} ${y1} A${r + 7} ${r + 7} 0 ${to - from > 180 ? 1 : 0} ${sense > 0 ? 1 : 0} ${x2} ${y2} L${at(to, r)} A${r} ${r} 0 0 ${sense > 0 ? 0 : 1} ${at(from, r)} Z`});
    zone.append(svg("title", {text: each.name}));
    switches[each.name] = zone;
    picture.append(zone);
  }
  if (thing.stations && thing.shape === "ring")
    for (let k = 0; k < thing.stations; ++k) {
      const [x, y] = at((360 * k) / thing.stations, r);
      const [tx, ty] = at((360 * k) / thing.stations, r + 14);
      picture.append(svg("circle", {class: "station", cx: x, cy: y, r: 4}), svg("text", {x: tx, y: ty + 4, "text-anchor": "middle", text: String(k)}));
    }
  if (thing.shape === "arm" || thing.shape === "arc")
    for (const place of [thing.from, thing.to]) {
      if (place === undefined) continue;
      const [x, y] = at(place, r + 8);
      const [x2, y2] = at(place, r - 8);
      const [tx, ty] = at(place, r + 18);
      picture.append(svg("line", {class: "limit", x1: x, y1: y, x2, y2}),
        svg("text", {x: tx, y: ty + 4, "text-anchor": tx < cx ? "end" : "start", text: `${Number(place.toFixed(1))} deg`}));
    }
  const hand = svg("g", {class: thing.shape === "shaft" ? "" : "moves"}, svg("line", {class: "aim", x1: 0, y1: 0, x2: 0, y2: -r + 6}), svg("circle", {class: "body", cx: 0, cy: -r + 6, r: 7}));
  picture.append(hand, svg("circle", {class: "station", cx, cy, r: 5}));
  let turned = 0;
  let lookedAt = performance.now();
  return {
    picture,
    update(moved, acts) {
      const now = performance.now();
      if (thing.shape === "shaft") {
        // What turns quickly is shown to turn, at a tenth of its speed.
        const perSecond = moved.speed_unit === "rpm" ? 6 * (moved.speed ?? 0) : moved.speed_unit === "deg/s" ? moved.speed ?? 0 : 3 * (moved.share_percent ?? 0);
        if (!still.matches) turned += (0.1 * perSecond * (now - lookedAt)) / 1000;
      } else if (moved.place !== undefined) {
        turned = moved.place;
      }
      lookedAt = now;
      hand.classList.toggle("unknown", thing.shape !== "shaft" && !moved.homed);
      hand.style.transform = `translate(${cx}px, ${cy}px) rotate(${sense * turned}deg)`;
      for (const [name, zone] of Object.entries(switches)) zone.classList.toggle("acts", acts(name) === true);
    },
  };
}

/** A cart's way, seen from above; forwards is up at the start. */
function cart(thing) {
  const picture = svg("svg", {class: "drawing", viewBox: "0 0 330 200", role: "img"});
  const track = svg("path", {class: "track"});
  const half = thing.track / 2;
  const body = svg("g", {}, svg("path", {class: "body", d: `M${-half} ${half} L${half} ${half} L${half} ${-half * 0.4} L0 ${-half * 1.5} L${-half} ${-half * 0.4} Z`}));
  const plan = svg("g", {}, track, body);
  picture.append(plan);
  let way = [];
  return {
    picture,
    /** x goes on, y to the left, in mm; heading in degrees, to the left. */
    pose(x, y, heading) {
      const at = [-y, -x];
      const last = way[way.length - 1];
      if (!last || Math.hypot(at[0] - last[0], at[1] - last[1]) > half / 10) way.push(at);
      if (way.length > 1500) way = way.filter((_, i) => i % 2 === 0);
      const xs = [...way.map((p) => p[0]), at[0]];
      const ys = [...way.map((p) => p[1]), at[1]];
      const room = 4 * half;
      const [x0, x1, y0, y1] = [Math.min(...xs) - room, Math.max(...xs) + room, Math.min(...ys) - room, Math.max(...ys) + room];
      const scale = Math.min(330 / (x1 - x0), 200 / (y1 - y0));
      plan.setAttribute("transform", `translate(${165 - (scale * (x0 + x1)) / 2} ${100 - (scale * (y0 + y1)) / 2}) scale(${scale})`);
      track.setAttribute("d", way.map((p, i) => `${i ? "L" : "M"}${p[0].toFixed(1)} ${p[1].toFixed(1)}`).join(""));
      track.setAttribute("vector-effect", "non-scaling-stroke");
      body.setAttribute("transform", `translate(${at[0]} ${at[1]}) rotate(${-heading})`);
    },
    update() {},
  };
}

/** Null for what has no look of its own. */
export function drawingOf(thing) {
  if (thing.shape === "travel") return travel(thing);
  if (thing.shape === "cart") return cart(thing);
  if (thing.shape === "lamp" || thing.shape === "own") return null;
  return round(thing);
}
