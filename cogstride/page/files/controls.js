// What a hand presses, holds and drags: each control of the model becomes one here.
import {byStep, el, inUnit, write} from "./parts.js";

const sendsEvery = 80; // ms, while a slider is dragged

/** Says why something was not done, for a while: one for all controls of a thing. */
function complaint() {
  const said = el("p", {class: "said", role: "status"});
  let timer = 0;
  return {
    element: said,
    say(words) {
      write(said, words);
      clearTimeout(timer);
      if (words) timer = setTimeout(() => write(said, ""), 8000);
    },
    of(answer) {
      this.say(answer.answer === "done" || answer.answer === "superseded" ? "" : answer.words || answer.answer);
      return answer;
    },
  };
}

/** Buttons that go as long as they are pressed, by finger, mouse or key. One at a time on the whole page. */
export class Holding {
  constructor(link) {
    this.link = link;
    this.every = 100;
    this.held = null;
    for (const [of, what] of [
      [window, "blur"], [window, "pagehide"], [document, "visibilitychange"], [document, "freeze"],
    ])
      of.addEventListener(what, () => this.release());
  }

  press(order, ends, button, said) {
    this.release();
    const held = {order, ends, button, said};
    this.held = held;
    button.classList.add("is-held");
    const repeat = () => {
      if (this.held !== held) return;
      this.link.order(order).then((answer) => {
        if (this.held === held && answer.answer !== "done" && answer.answer !== "superseded") {
          said.of(answer); // and not again by itself
          this.drop();
        }
      });
    };
    held.timer = setInterval(repeat, this.every);
    repeat();
  }

  release() {
    const held = this.drop();
    if (held) this.link.order(held.ends).then((answer) => held.said.of(answer));
  }

  drop() {
    const held = this.held;
    if (!held) return null;
    this.held = null;
    clearInterval(held.timer);
    held.button.classList.remove("is-held");
    return held;
  }
}

function holdButtons(control, page) {
  const {said} = page;
  const buttons = control.ways.map((way) => {
    const button = el("button", {type: "button", class: "hold", text: way.label,
      "aria-label": `${page.name}: hold to go ${way.label}`});
    const press = () => page.holding.press(way.order, control.ends, button, said);
    button.addEventListener("pointerdown", (event) => {
      if (event.button !== 0) return;
      event.preventDefault();
      button.focus({preventScroll: true});
      button.setPointerCapture(event.pointerId);
      press();
    });
    for (const what of ["pointerup", "pointercancel", "lostpointercapture"])
      button.addEventListener(what, () => page.holding.held?.button === button && page.holding.release());
    button.addEventListener("contextmenu", (event) => event.preventDefault());
    button.addEventListener("keydown", (event) => {
      if (event.key !== " " && event.key !== "Enter") return;
      event.preventDefault();
      if (!event.repeat) press();
    });
    button.addEventListener("keyup", (event) => {
      if (event.key === " " || event.key === "Enter") page.holding.release();
    });
    return button;
  });
  return {element: el("div", {class: "holds"}, ...buttons), buttons};
}

/** A slider and a typed number that say the same: what is asked while it is on its way, else what is. */
function valueControl(control, page) {
  const {said} = page;
  const name = `${page.name}: ${control.label}`;
  const range = el("input", {type: "range", min: control.from, max: control.to, step: control.step, "aria-label": `${name}, slider`});
  const typed = el("input", {type: "number", min: control.from, max: control.to, step: "any", inputmode: "decimal", "aria-label": `${name}, typed`});
  let shown = control.value ?? Math.max(control.from, Math.min(0, control.to));
  let asked = 0; // orders that have no answer yet
  let isDragged = false;
  let isTyped = false;
  let sentAt = 0;
  let later = 0;

  const show = (value) => {
    shown = value;
    const text = byStep(value, control.step);
    if (range.value !== text) range.value = text;
    range.setAttribute("aria-valuetext", `${text} ${control.unit}`);
    if (!isTyped && typed.value !== text) typed.value = text;
  };
  const order = (value) => {
    sentAt = performance.now();
    const text = byStep(value, control.step);
    const isNothing = control.zero && Math.abs(Number(text)) < (control.least ?? control.step) / 2;
    const line = isNothing ? control.zero : control.order.replace("{}", `${text} ${control.unit}`);
    ++asked;
    page.link.order(line).then((answer) => {
      --asked;
      said.of(answer);
    });
  };
  const soon = (value) => {
    clearTimeout(later);
    const wait = sentAt + sendsEvery - performance.now();
    if (wait <= 0) order(value);
    else later = setTimeout(() => order(value), wait);
  };
  range.addEventListener("input", () => {
    show(Number(range.value));
    soon(shown);
  });
  range.addEventListener("pointerdown", () => (isDragged = true));
  for (const what of ["pointerup", "pointercancel", "change"]) range.addEventListener(what, () => (isDragged = false));
  // Once somebody points into it or presses a key, what is selected there stays so.
  for (const what of ["pointerdown", "input"]) typed.addEventListener(what, () => (isTyped = true));
  typed.addEventListener("keydown", (event) => {
    isTyped = event.key !== "Escape";
    if (!isTyped) show(shown);
    if (event.key !== "Enter") return;
    event.preventDefault();
    take();
  });
  const isLeft = (event) => {
    if (event.relatedTarget === typed || event.relatedTarget === go) return;
    isTyped = false;
    show(shown);
  };
  typed.addEventListener("blur", isLeft);
  const take = () => {
    const value = Number(typed.value.replace(",", "."));
    isTyped = false;
    if (typed.value === "" || Number.isNaN(value)) return said.say("a number is wanted");
    if (value < control.from || value > control.to)
      return said.say(`from ${byStep(control.from, control.step)} to ${byStep(control.to, control.step)} ${control.unit}`);
    show(value);
    order(value);
  };
  // What has been typed is what it takes.
  const go = el("button", {type: "button", text: "Go", "aria-label": `${name}: go`, onclick: take});
  go.addEventListener("pointerdown", (event) => event.preventDefault());
  go.addEventListener("blur", isLeft);
  show(shown);
  const least = control.least && control.least > control.step
    ? [el("span", {text: `not below ${byStep(control.least, control.step)}`})] : [];
  const element = el("div", {class: "control value"},
    el("div", {class: "pair"}, el("span", {class: "label", text: control.label}), typed,
      el("span", {class: "unit", text: control.unit}), go),
    range,
    el("div", {class: "ends", "aria-hidden": "true"}, el("span", {text: byStep(control.from, control.step)}),
      ...least, el("span", {text: byStep(control.to, control.step)})));
  return {
    element,
    buttons: [range, typed, ...element.querySelectorAll("button")],
    /** What is, in the control's unit; nothing: it is not known. */
    follow(value) {
      if (value === undefined || value === null || isDragged || asked > 0 || control.shows === "") return;
      if (Math.abs(value - shown) >= control.step / 2) show(value);
    },
  };
}

function orderButton(label, order, page, said) {
  return el("button", {type: "button", text: label, "aria-label": `${page.name}: ${label}`,
    onclick: () => page.link.order(order).then((answer) => said.of(answer))});
}

function nudgeButtons(control, page) {
  const {said} = page;
  const back = [...control.ways].reverse().map((way) => orderButton(`−${way.label}`, way.back, page, said));
  const on = control.ways.map((way) => orderButton(`+${way.label}`, way.on, page, said));
  return {
    element: el("div", {class: "control"}, el("span", {class: "label", text: `${control.label} by ${control.unit}`}),
      el("div", {class: "nudges"}, ...back, ...on)),
    buttons: [...back, ...on],
  };
}

function stationButtons(control, page) {
  const {said} = page;
  const buttons = [];
  for (let k = 0; k < control.count; ++k) {
    const button = orderButton(String(k), control.order.replace("{}", k), page, said);
    button.setAttribute("aria-label", `${page.name}: to station ${k}`);
    buttons.push(button);
  }
  return {
    element: el("div", {class: "control"}, el("span", {class: "label", text: control.label}),
      el("div", {class: "stations"}, ...buttons)),
    buttons,
    follow(place, unit) {
      if (unit !== "deg" || place === undefined) return;
      const at = (((place / 360) * control.count) % control.count + control.count) % control.count;
      buttons.forEach((button, k) =>
        button.setAttribute("aria-pressed", Math.abs(at - k) < 0.02 || Math.abs(at - k - control.count) < 0.02));
    },
  };
}

function switchButton(control, page) {
  const {said} = page;
  const button = el("button", {type: "button", "aria-pressed": "false", text: control.label,
    "aria-label": `${page.name}: ${control.label}`});
  button.addEventListener("click", () => {
    const isOn = button.getAttribute("aria-pressed") === "true";
    const order = isOn ? control.off : control.on;
    const turned = () => control.shows === "own" && button.setAttribute("aria-pressed", !isOn);
    if (!order) return turned();
    page.link.order(order).then((answer) => said.of(answer).answer === "refused" || turned());
  });
  return {
    element: el("div", {class: "presses"}, button),
    buttons: [button],
    follow: control.shows === "own" ? undefined : (share) => button.setAttribute("aria-pressed", share > 0),
  };
}

/** Orders one thing when it is pressed, another when it is let go; one that jogs is said again meanwhile. */
function momentaryButton(control, page) {
  if (control.on.startsWith("jog ")) {
    const ends = control.off || `stop ${control.on.split(" ")[1]}`;
    return holdButtons({ways: [{label: control.label, order: control.on}], ends}, page);
  }
  const {said} = page;
  const button = el("button", {type: "button", class: "hold", text: control.label, "aria-pressed": "false"});
  let isPressed = false;
  const turn = (on) => {
    if (isPressed === on) return;
    isPressed = on;
    button.setAttribute("aria-pressed", on);
    const order = on ? control.on : control.off;
    if (order) page.link.order(order).then((answer) => said.of(answer));
  };
  button.addEventListener("pointerdown", (event) => {
    if (event.button !== 0) return;
    button.setPointerCapture(event.pointerId);
    turn(true);
  });
  for (const what of ["pointerup", "pointercancel", "lostpointercapture", "blur"]) button.addEventListener(what, () => turn(false));
  button.addEventListener("keydown", (event) => (event.key === " " || event.key === "Enter") && turn(true));
  button.addEventListener("keyup", () => turn(false));
  for (const [of, what] of [[window, "blur"], [window, "pagehide"], [document, "visibilitychange"]]) of.addEventListener(what, () => turn(false));
  return {element: el("div", {class: "holds"}, button), buttons: [button]};
}

/** All controls of one thing. `page`: {name, link, holding}. */
export function controlsOf(thing, page) {
  const said = complaint();
  page = {...page, said};
  const element = el("div", {}, said.element);
  const follows = [];
  const presses = el("div", {class: "presses"});
  const settings = el("details", {}, el("summary", {text: "Speed and acceleration"}));
  const disable = (buttons, why) => {
    for (const button of buttons) button.disabled = true;
    return el("p", {class: "why", text: why});
  };
  for (const control of thing.controls) {
    if (control.part === "press") {
      const button = orderButton(control.label, control.order, page, said);
      presses.append(button);
      if (control.why) {
        button.disabled = true;
        button.title = control.why;
        presses.append(el("span", {class: "why", text: control.why}));
      }
      continue;
    }
    const made = {value: valueControl, hold: holdButtons, nudge: nudgeButtons, stations: stationButtons, switch: switchButton, momentary: momentaryButton}[control.part](control, page);
    const into = control.id === "settings" ? settings : element;
    if (control.part === "hold")
      into.append(el("div", {class: "control"}, el("span", {class: "label", text: control.label}), made.element));
    else into.append(made.element);
    if (control.why) into.append(disable(made.buttons, control.why));
    if (made.follow) follows.push({control, follow: made.follow});
  }
  if (settings.children.length > 1) element.append(settings);
  if (presses.children.length > 0) element.append(presses);
  return {
    element,
    /** How it is now. */
    update(moved, outputShare) {
      for (const {control, follow} of follows) {
        if (control.shows === "output") follow(control.part === "value" ? 100 * outputShare : outputShare);
        else if (control.part === "stations") follow(moved.homed ? moved.place : undefined, moved.place_unit);
        else if (control.shows === "place") follow(moved.homed ? wrapped(moved.place, thing) : undefined);
        else if (control.shows === "speed") follow(inUnit(moved.speed ?? 0, moved.speed_unit ?? control.unit, control.unit));
        else if (control.shows?.startsWith("usual_")) follow(moved[control.shows] ?? control.value);
        else if (control.shows === "share") follow(moved.share_percent ?? 0);
      }
    },
  };
}

/** Of one that turns on and on: within one turn. */
export function wrapped(place, thing) {
  if (place === undefined || thing.shape !== "ring") return place;
  return ((place % 360) + 360) % 360;
}
