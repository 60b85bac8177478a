// Small things that all of the page is made of.

/** An element: tag, attributes (class, text, on...), children. */
export function el(tag, attributes = {}, ...children) {
  const made = document.createElement(tag);
  set(made, attributes);
  made.append(...children);
  return made;
}

export function svg(tag, attributes = {}, ...children) {
  const made = document.createElementNS("http://www.w3.org/2000/svg", tag);
  set(made, attributes);
  made.append(...children);
  return made;
}

function set(made, attributes) {
  for (const [name, value] of Object.entries(attributes)) {
    if (name === "text") made.textContent = value;
    else if (name.startsWith("on")) made.addEventListener(name.slice(2), value);
    else if (value === true) made.setAttribute(name, "");
    else if (value !== false && value !== undefined && value !== null) made.setAttribute(name, value);
  }
}

/** With as many digits as an amount of that unit deserves. */
export function amount(value, unit) {
  if (value === null || value === undefined || Number.isNaN(value)) return "–";
  const digits = unit === "mm" || unit === "deg" ? 2 : Math.abs(value) >= 1000 ? 0 : 1;
  const rounded = Number(value.toFixed(digits));
  return `${(Object.is(rounded, -0) ? 0 : rounded).toFixed(digits)} ${unit}`;
}

/** A number as it is typed and ordered: no more digits than its step has. */
export function byStep(value, step) {
  const digits = Math.max(0, Math.min(6, Math.ceil(-Math.log10(step) - 1e-9)));
  const rounded = (Math.round(value / step) * step).toFixed(digits);
  return Number(rounded) === 0 ? (0).toFixed(digits) : rounded;
}

/** From one unit of a speed to another. */
export function inUnit(value, from, to) {
  if (value === undefined || value === null || from === to) return value;
  if (from === "deg/s" && to === "rpm") return value / 6;
  if (from === "rpm" && to === "deg/s") return value * 6;
  return undefined;
}

/** Text of an element that changes often: written when it is another one. */
export function write(element, text) {
  if (element.textContent !== text) element.textContent = text;
}
