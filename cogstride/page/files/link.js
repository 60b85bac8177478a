// The link to the bench: messages out, messages in, and again when it is lost.

/** How long an answer may be waited for before it is said that none has come, ms. */
const patience = 1500;

export class Link {
  constructor(told) {
    this.told = told; // {came(message), changed(state, words)}
    this.waiting = new Map();
    this.tag = 0;
    this.tries = 0;
    this.token = sessionStorage.getItem("token");
    const said = new URLSearchParams(location.hash.slice(1)).get("token");
    if (said) {
      this.token = said;
      sessionStorage.setItem("token", said);
      history.replaceState(null, "", location.pathname); // it stays out of what is shown and shared
    }
    this.open();
  }

  get isOpen() {
    return this.socket && this.socket.readyState === WebSocket.OPEN;
  }

  open() {
    clearTimeout(this.again);
    const socket = new WebSocket(`ws://${location.host}/orders`);
    this.socket = socket;
    this.heardAt = performance.now();
    socket.onopen = () => {
      this.tries = 0;
      this.told.changed("linked", "linked");
    };
    socket.onmessage = (event) => {
      this.heardAt = performance.now();
      this.take(JSON.parse(event.data));
    };
    socket.onclose = () => {
      if (socket !== this.socket) return;
      this.dropAll();
      if (this.isOver) return;
      const wait = Math.min(5000, 250 * 2 ** this.tries++);
      this.told.changed("lost", "no link: what was held has come to rest. It is tried again");
      this.again = setTimeout(() => this.open(), wait);
    };
  }

  take(message) {
    if (message.state) this.seen = message.state.at_s;
    if ("wanted" in message) {
      if (this.token) this.send({token: this.token});
      else this.told.changed("outside", "the token is wanted");
    } else if ("let_in" in message) {
      if (!message.let_in) sessionStorage.removeItem("token");
      if (!message.let_in) this.token = null;
      this.told.changed(message.let_in ? "linked" : "outside", message.let_in ? "linked" : message.words);
    } else if ("over" in message) {
      this.isOver = !message.over.startsWith("the token");
      if (!this.isOver) {
        sessionStorage.removeItem("token");
        this.token = null;
      }
      this.told.changed(this.isOver ? "over" : "outside", message.over);
    } else if ("answer" in message && this.waiting.has(message.tag)) {
      const {resolve, timer} = this.waiting.get(message.tag);
      clearTimeout(timer);
      this.waiting.delete(message.tag);
      resolve(message);
    }
    this.told.came(message);
  }

  comeIn(token) {
    this.token = token;
    sessionStorage.setItem("token", token);
    if (this.isOpen) this.send({token});
    else this.open();
  }

  send(message) {
    if (!this.isOpen) return false;
    this.socket.send(JSON.stringify(message));
    return true;
  }

  /** An order; what becomes of it, in the end. `slow` is told when no answer has come for a while. */
  order(order, slow) {
    const tag = ++this.tag;
    const sent = this.send({order, tag, seen_s: this.seen});
    if (!sent) return Promise.resolve({answer: "refused", order, words: "there is no link"});
    return new Promise((resolve) => {
      const timer = slow ? setTimeout(slow, patience) : 0;
      this.waiting.set(tag, {resolve, timer, order});
    });
  }

  dropAll() {
    for (const {resolve, timer, order} of this.waiting.values()) {
      clearTimeout(timer);
      resolve({answer: "lost", order, words: "the link was lost before its answer came"});
    }
    this.waiting.clear();
  }
}
