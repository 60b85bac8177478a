// The page of a rig: what the bench says is shown, and what a hand does here is ordered there.
import {Charts} from "./charts.js";
import {controlsOf, Holding} from "./controls.js";
import {drawingOf} from "./drawing.js";
import {showLines} from "./lines.js";
import {Link} from "./link.js";
import {amount, el, write} from "./parts.js";

const $ = (id) => document.getElementById(id);
let cards = [];
const cardsOf = (name) => cards.filter((card) => card.thing.name === name && card.thing.shape !== "own");
let page = null;
let state = null;
let stateAt = 0;
let isLinked = false;

const charts = new Charts($("charts"));
const link = new Link({came, changed});
const holding = new Holding(link);

// ---- the link

function changed(how, words) {
  isLinked = how === "linked";
  write($("link"), isLinked && page ? `linked as ${page.you}` : words);
  $("link").classList.toggle("lost", !isLinked);
  $("door").hidden = how !== "outside";
  if (how === "outside") write($("door-said"), words);
  if (!isLinked) holding.drop();
  showStop();
}

function came(message) {
  if (message.page) begin(message);
  else if (message.state) show(message.state);
  else if (message.samples) charts.take(message.samples);
  else if (message.scripts) showScripts(message.scripts);
  else if (message.lines) showLines($("lines"), message.lines, $("watched").value);
  else if (message.answer) noteAnswer(message);
  if (message.samples) poseCarts();
}

$("door").addEventListener("submit", (event) => {
  event.preventDefault();
  link.comeIn($("token").value.trim());
  $("token").value = "";
});

// ---- STOP

let stopAsked = 0;
let stopSaid = "";

function stop() {
  holding.drop();
  stopAsked = performance.now();
  stopSaid = "asked to stop";
  showStop();
  link.order("stop everything", () => {
    stopSaid = "NO ANSWER: use the switch of the machine";
    showStop();
  }).then((answer) => {
    stopSaid = answer.answer === "done" ? "stopped" : `NOT STOPPED: ${answer.words}`;
    write($("stop-said"), answer.answer === "done" ? "everything is stopped" : stopSaid);
    showStop();
  });
}

function showStop() {
  const button = $("stop");
  const isStopped = state?.stopped && isLinked;
  button.classList.toggle("stopped", Boolean(isStopped));
  button.classList.toggle("asked", !isStopped && stopSaid !== "" && performance.now() - stopAsked < 4000);
  const word = button.querySelector(".stop-word");
  const what = button.querySelector(".stop-what");
  write(word, isStopped ? "STOPPED" : "STOP");
  if (!isLinked) write(what, "no link: this button reaches nothing");
  else if (isStopped) write(what, "nothing moves until orders are taken again");
  else if (stopSaid && performance.now() - stopAsked < 4000) write(what, stopSaid);
  else if (!what.querySelector("kbd")) what.replaceChildren("everything, at once ", el("kbd", {text: "Esc"}));
}

$("stop").addEventListener("pointerdown", (event) => {
  if (event.button === 0) stop();
});
$("stop").addEventListener("keydown", (event) => {
  if ((event.key === "Enter" || event.key === " ") && !event.repeat) stop();
});
// A screen reader presses it by a click alone; after a finger or a key it is the same press.
$("stop").addEventListener("click", () => performance.now() - stopAsked > 700 && stop());
document.addEventListener("keydown", (event) => {
  if (event.key === "Escape" && !event.repeat) stop();
});
$("clear").addEventListener("click", () => link.order("clear"));

// ---- what moves

function begin(message) {
  page = {...message.page, you: message.you};
  holding.every = page.hold_every_ms;
  document.title = `${page.rig} – Cog Stride`;
  write($("rig"), page.rig);
  write($("where"), page.where);
  $("where").classList.toggle("live", page.where.startsWith("live"));
  write($("link"), `linked as ${page.you}`);
  cards = page.things.map(cardOf);
  $("things").replaceChildren(...cards.map((card) => card.element));
  const watched = $("watched").value;
  const names = [...new Set(page.things.filter((thing) => !["lamp", "own"].includes(thing.shape)).map((thing) => thing.name))];
  $("watched").replaceChildren(...names.map((name) => el("option", {value: name, text: name})));
  if (names.includes(watched)) $("watched").value = watched;
  charts.signals(message.signals);
  charts.show($("watched").value);
  $("findings").replaceChildren(...(page.findings.length ? page.findings.map(findingOf) : [el("li", {text: "Nothing was found."})]));
  $("keys-part").hidden = page.keys.length === 0;
  $("keys").replaceChildren(...page.keys.map((key) => el("button", {type: "button", text: key.label, onclick: () => link.order(key.order)})));
}

function findingOf(finding) {
  const where = `${finding.of ? `${finding.of}: ` : ""}`;
  return el("li", {}, el("span", {class: "severity", text: `${finding.severity} `}), `${where}${finding.what}`,
    finding.way_out ? el("div", {class: "small", text: finding.way_out}) : "");
}

function cardOf(thing) {
  const name = thing.label ?? thing.name;
  const place = el("div", {class: "amount", text: "–"});
  const speed = el("div", {class: "amount", text: "–"});
  const count = el("div", {class: "amount", text: "–"});
  const does = el("p", {class: "does"});
  const drawing = thing.drawn === false ? null : drawingOf(thing);
  const controls = controlsOf(thing, {name, link, holding});
  const isLamp = thing.shape === "lamp" || thing.shape === "own";
  const row = (label, element) => el("div", {}, el("div", {class: "name", text: label}), element);
  const element = el("article", {class: "thing", "aria-label": name},
    el("div", {class: "thing-head"}, el("h3", {text: name}), el("span", {class: "kind", text: thing.kind})),
    ...(isLamp || thing.shape === "cart" ? [] : [el("div", {class: "now"}, row(thing.by_share && thing.shape === "shaft" ? "drive" : "place", place), row("speed", speed), row("count", count))]),
    ...(drawing ? [drawing.picture] : []),
    ...(isLamp ? [] : [does]),
    controls.element);
  return {element, thing, place, speed, count, does, drawing, controls};
}

function show(now) {
  state = now;
  stateAt = performance.now();
  write($("clock"), `${now.at_s.toFixed(1)} s`);
  const acts = (name) => now.inputs[name];
  for (const moved of now.moved) for (const card of cardsOf(moved.name)) {
    const {thing} = card;
    const isUnknown = !moved.homed && thing.shape !== "shaft";
    write(card.place, isUnknown ? "not homed" : (thing.by_share && thing.shape === "shaft") || moved.place === undefined
      ? amount(moved.share_percent, "%") : amount(moved.place, moved.place_unit));
    write(card.speed, amount(moved.speed, moved.speed_unit ?? ""));
    write(card.count, moved.count === undefined ? "–" : String(moved.count));
    card.does.replaceChildren(
      moved.obstacle ? `in its way: ${moved.obstacle}` : moved.doing || (moved.driven ? "driven" : "stands"),
      moved.lag !== undefined ? `, lag ${amount(moved.lag, moved.place_unit)}` : "",
      moved.held_by ? el("span", {class: "held", text: ` · held by ${moved.held_by === page?.you ? "you" : moved.held_by}`}) : "");
    card.drawing?.update(moved, (name) => acts(`${moved.name}.${name}`) ?? acts(name));
    if (card.drawing && thing.shape !== "cart")
      card.drawing.picture.setAttribute("aria-label", `${moved.name}: ${isUnknown ? "not homed" : amount(moved.place ?? moved.speed, moved.place_unit ?? moved.speed_unit ?? "")}`);
    card.controls.update(moved);
  }
  for (const [name, share] of Object.entries(now.outputs)) for (const card of cardsOf(name)) card.controls.update({}, share);
  showInputs(now.inputs);
  showPlayed(now.script);
  $("stopped").hidden = !now.stopped;
  write($("stopped-why"), now.stopped && now.fault ? now.fault : "");
  const fault = !now.stopped && now.fault ? `fault: ${now.fault}` : "";
  $("fault").hidden = fault === "";
  write($("fault"), fault);
  showStop();
}

function poseCarts() {
  for (const {thing, drawing} of cards) {
    if (thing.shape !== "cart" || !drawing) continue;
    const of = (made, thought) => charts.value(`${thing.name}.${made}`) ?? charts.value(`${thing.name}.${thought}`);
    const pose = [of("x", "thinks_x"), of("y", "thinks_y"), of("heading", "thinks_heading")];
    if (pose.every((value) => typeof value === "number")) drawing.pose(...pose);
  }
}

function showInputs(inputs) {
  const list = $("inputs");
  if (list.offsetParent === null) return;
  const chips = Object.entries(inputs).map(([name, value]) => {
    const says = value === null ? "?" : value === true || value === false ? "" : String(Math.round(value * 1000) / 1000);
    return el("li", {class: value === true ? "acts" : "", text: `${name}${value === true ? " acts" : ""}${says ? ` ${says}` : ""}`});
  });
  const text = chips.map((chip) => chip.textContent).join("|");
  if (list.dataset.text === text) return;
  list.dataset.text = text;
  list.replaceChildren(...chips);
}

// ---- scripts

function showScripts(scripts) {
  $("script-list").replaceChildren(...(scripts.length ? scripts.map((script) => el("li", {},
    el("div", {class: "about"}, el("strong", {text: script.file}),
      el("div", {class: "small", text: script.why ?? `${script.at_least ? "more than " : ""}${script.lasts_s.toFixed(1)} s`})),
    el("button", {type: "button", text: "Play", "aria-label": `play ${script.file}`, disabled: Boolean(script.why),
      onclick: () => link.order(`play ${script.file}`).then((answer) => write($("scripts-said"), answer.answer === "done" ? "" : `${script.file}: ${answer.words || answer.answer}`))})))
    : [el("li", {text: "No script lies beside the rig."})]));
}

function showPlayed(script) {
  $("played").hidden = !script;
  if (!script) return;
  write($("played-name"), `${script.name}${script.paused ? " (paused)" : ""}`);
  write($("played-statement"), script.statement ?? "");
  const left = script.lasts_s === undefined ? undefined : Math.max(0, script.lasts_s - script.played_s);
  write($("played-left"), left === undefined ? "goes on without end"
    : script.takes_longer ? `at least ${left.toFixed(0)} s left: it homes or waits as well` : `${left.toFixed(0)} s left`);
  const bar = $("played-bar");
  if (left !== undefined && !script.takes_longer) bar.value = script.lasts_s > 0 ? 1 - left / script.lasts_s : 1;
  else bar.removeAttribute("value");
  write($("pause"), script.paused ? "Go on" : "Pause");
}
$("pause").addEventListener("click", () => link.order(state?.script?.paused ? "resume" : "pause"));
$("end-script").addEventListener("click", () => link.order("end script"));

// ---- watching

$("watched").addEventListener("change", () => {
  charts.show($("watched").value);
  lookLines();
});
$("span").addEventListener("change", () => {
  charts.span = Number($("span").value);
  charts.draw();
});
$("hold-chart").addEventListener("click", () => {
  charts.isHeld = !charts.isHeld;
  $("hold-chart").setAttribute("aria-pressed", charts.isHeld);
});
function lookLines() {
  link.send({look: {lines: Number($("lines-span").value), of: $("watched").value}});
}
$("look-lines").addEventListener("click", lookLines);
$("lines-span").addEventListener("change", lookLines);
setInterval(() => {
  if ($("follow-lines").checked && !document.hidden && $("lines").offsetParent !== null) lookLines();
}, 500);

for (const button of $("records").children)
  button.addEventListener("click", async () => {
    const form = button.dataset.form;
    write($("record-said"), "it is being written …");
    try {
      const came = await fetch(`/record.${form}`, link.token ? {headers: {Authorization: `Bearer ${link.token}`}} : {});
      if (!came.ok) throw new Error(await came.text());
      const url = URL.createObjectURL(await came.blob());
      const anchor = el("a", {href: url, download: `${page.rig.replaceAll(" ", "-").toLowerCase()}.${form}`});
      anchor.click();
      setTimeout(() => URL.revokeObjectURL(url), 10000);
      write($("record-said"), "");
    } catch (error) {
      write($("record-said"), `no record: ${error.message}`);
    }
  });

// ---- orders and answers

function noteAnswer(message) {
  const isHold = message.answer === "done" && message.order?.startsWith("jog ");
  if (isHold) return;
  const words = [message.answer, message.order, message.words].filter(Boolean).join(": ");
  $("answers").prepend(el("li", {text: `${(message.at_s || state?.at_s || 0).toFixed(2)} s  ${words}`}));
  while ($("answers").children.length > 60) $("answers").lastChild.remove();
}
$("order-form").addEventListener("submit", (event) => {
  event.preventDefault();
  if ($("order").value.trim()) link.order($("order").value.trim());
  $("order").value = "";
});

// ---- parts of the page

const wide = matchMedia("(min-width: 1000px)");
let part = "move";
function showPart() {
  for (const button of document.querySelectorAll("nav button")) {
    button.setAttribute("aria-pressed", button.dataset.part === part);
    $(button.dataset.part).hidden = !wide.matches && button.dataset.part !== part;
  }
  charts.draw();
  if (part === "scripts") link.send({look: "scripts"});
  if (part === "watch" || wide.matches) lookLines();
}
for (const button of document.querySelectorAll("nav button"))
  button.addEventListener("click", () => {
    part = button.dataset.part;
    showPart();
    window.scrollTo(0, 0);
  });
wide.addEventListener("change", showPart);
showPart();

// What is shown is told to be old when nothing comes.
setInterval(() => {
  showStop();
  if (isLinked && state && performance.now() - stateAt > 1500) {
    write($("link"), `nothing has come for ${((performance.now() - stateAt) / 1000).toFixed(0)} s`);
    $("link").classList.add("lost");
  } else if (isLinked && page) {
    write($("link"), `linked as ${page.you}`);
    $("link").classList.remove("lost");
  }
}, 500);
