// The sweep: one field over many papers, a screen of rows at a time, each the place on the paper and the value.

import { setKeys } from "../frame/keys.js";
import { call } from "../frame/server.js";
import { lookCloser } from "../desk/closer.js";
import { absenceIsLikely, YES_OR_NO } from "../desk/model.js";
import { button, candidateList, editor, element } from "../desk/notes.js";
import { answers, bodyOf, Kept } from "./answers.js";
import { aroundOf, pictured } from "./sight.js";
import { stripOf, SweepModel } from "./sweep_model.js";
import { headOf, rowOf } from "./sweep_rows.js";

const ROW_HEIGHT = 26;
const COLUMN_WIDTH = 580; // pixels that a row needs
const DPI = 110;
const SECONDS_A_ROW = 0.1; // a row is in view at least so long before it is accepted with its screen

class Sweep {
  /** @param {HTMLElement} root */
  constructor(root) {
    this.root = root;
    this.type = root.dataset.type;
    this.key = root.dataset.key;
    this.holder = /** @type {HTMLElement} */ (root.querySelector("[data-screen]"));
    this.dock = /** @type {HTMLElement} */ (root.querySelector("[data-dock]"));
    this.agree = /** @type {HTMLButtonElement} */ (root.querySelector("[data-agree]"));
    this.model = new SweepModel(JSON.parse(root.dataset.groups), this.capacity, this.lines);
    /** @type {Map<number, any>} what is known of papers, as the server gives it */
    this.rows = new Map();
    /** @type {Map<number, string>} what is told of a row instead of its reason */
    this.said = new Map();
    /** @type {Map<number, {values: any[], absent: boolean}>} what was answered */
    this.given = new Map();
    this.editing = false;
    this.kept = new Kept(this.type);
    this.saver = answers(`jugum-sweep-${this.type}-${this.key}`, (cell) => this.rows.get(parseInt(cell))?.revision, {
      told: (text, kind) => this.tell(text, kind),
      saved: (item, answer) => this.saved(parseInt(item.key), answer),
      conflict: (item, error) => this.notSaved(item, error),
      refused: (item, error) => this.notSaved(item, error),
    });
  }

  // ---- The screen ----

  get columns() {
    return Math.max(1, Math.floor(this.holder.clientWidth / COLUMN_WIDTH));
  }

  get lines() {
    return Math.max(4, Math.floor((this.holder.clientHeight - 8) / ROW_HEIGHT));
  }

  get capacity() {
    return this.columns * this.lines;
  }

  async open() {
    await this.sendWhatWaits();
    this.listen();
    await this.show();
    this.root.dataset.ready = "yes";
  }

  /** What was answered before the page was left, and had not reached the server. */
  async sendWhatWaits() {
    if (!this.saver.waiting.length) return;
    await this.take(this.saver.waiting.map((item) => parseInt(item.key)));
    for (const item of this.saver.waiting) this.model.answer(parseInt(item.key));
    await this.saver.run();
  }

  /** The rows of the screen, and those of the next one, so that it is there when it is turned to. */
  async show() {
    const { screen } = this.model;
    this.draw();
    await this.take(this.model.shown);
    if (screen !== this.model.screen) return;
    this.draw();
    this.wait();
    await this.take(this.model.papersOf(this.model.screens[screen + 1]));
    for (const paper of this.model.papersOf(this.model.screens[screen + 1])) {
      const place = this.placeOf(paper);
      if (place) new Image().src = this.picture(paper, place);
    }
  }

  /** Have papers for oneself, and know what stands on them. */
  async take(papers) {
    const wanted = papers.filter((paper) => !this.rows.has(paper) && this.model.states.get(paper) !== "gone");
    if (!wanted.length) return;
    try {
      await this.fetch(wanted);
    } catch (error) {
      this.tell(error.message, "held");
    }
  }

  async fetch(papers) {
    for (let start = 0; start < papers.length; start += 100) {
      const documents = papers.slice(start, start + 100);
      const rows = await call("POST", `/api/v1/types/${this.type}/sweep/${this.key}/take`, { documents });
      for (const row of rows) this.rows.set(row.document, row);
      for (const paper of documents) {
        if (rows.some((row) => row.document === paper)) this.kept.papers.add(paper);
        else if (this.model.isOpen(paper)) this.gone(paper);
      }
    }
    if (!this.model.isOpen(this.model.at)) this.model.next();
  }

  gone(paper) {
    this.model.states.set(paper, "gone");
    this.kept.papers.delete(paper);
  }

  draw() {
    const reasons = this.model.shown.map((paper) => this.rows.get(paper)?.field.hold).filter(Boolean);
    const often = (/** @type {string} */ reason) => reasons.filter((other) => other === reason).length;
    this.usual = reasons.sort((one, other) => often(other) - often(one))[0]; // not said of each row
    this.holder.style.gridTemplateRows = `repeat(${this.lines}, ${ROW_HEIGHT}px)`;
    this.holder.style.gridTemplateColumns = `repeat(${this.columns}, minmax(0, 1fr))`;
    const lines = this.model.screens[this.model.screen] || [];
    this.holder.replaceChildren(...lines.map((line) => ("paper" in line ? rowOf(this, line.paper) : headOf(line))));
    this.mark();
  }

  /** The row of the cursor, the dock, what can be accepted together. */
  mark() {
    for (const row of this.holder.querySelectorAll(".swept")) {
      const here = row.dataset.paper === String(this.model.at);
      row.classList.toggle("at", here);
      row.toggleAttribute("aria-current", here);
    }
    this.drawDock();
    this.titles();
  }

  redraw(paper) {
    const row = this.holder.querySelector(`[data-paper="${paper}"]`);
    if (row && !(this.editing && paper === this.model.at)) row.replaceWith(rowOf(this, paper));
    this.mark();
  }

  placeOf(paper) {
    const field = this.rows.get(paper)?.field;
    return [...(field?.values || []), ...(field?.others || [])].find((value) => value.box);
  }

  picture(paper, { page, box }) {
    return `/documents/${paper}/pages/${page}/region.jpg?dpi=${DPI}&box=${stripOf(box).join(",")}`;
  }

  titles() {
    const left = this.model.count("open") + this.model.count("left");
    const screens = this.model.screens.length;
    const where = screens > 1 ? `, screen ${this.model.screen + 1} of ${screens}` : "";
    this.root.querySelector("[data-title]").textContent = left
      ? `${left.toLocaleString("en")} ${left === 1 ? "paper waits" : "papers wait"}${where}`
      : `${this.root.dataset.name}: nothing waits any more`;
    const together = this.together();
    this.agree.hidden = !together.length;
    this.agree.disabled = !this.ready;
    const key = element("kbd", "", "⇧ Enter");
    this.agree.title = this.ready
      ? "Accept all values of this screen but the doubtful ones"
      : "Once its pictures have been in view for a moment";
    this.agree.replaceChildren(`Accept these ${together.length} `, key);
  }

  // ---- The row of the cursor ----

  get at() {
    return this.rows.get(this.model.at);
  }

  drawDock() {
    if (this.editing) return;
    const row = this.at;
    if (!row) {
      this.dock.replaceChildren();
      return;
    }
    const place = this.sightOf(row);
    const sight = element("div", "sight");
    if (place) {
      const source = `/documents/${row.document}/pages/${place.page}/region.jpg?dpi=150&box=${place.box.join(",")}`;
      const alt = `${row.field.name} on ${row.name}, with what stands around it`;
      const marked = row.near ? null : this.placeOf(row.document).box;
      sight.append(pictured(source, alt, place.box, marked, () => this.closer(row.document)));
    }
    const said = element("div", "about");
    const name = /** @type {HTMLAnchorElement} */ (element("a", "", row.name));
    name.href = `/review/${row.document}`;
    const layout = element("span", "quiet small", row.layout ? `layout ${row.layout}` : "of no known layout");
    const line = element("div", "of");
    line.append(name, layout);
    said.append(line);
    const { hold, detail, advisory } = row.field;
    const why = this.said.get(row.document) || `${hold}: ${detail}${advisory ? " (accept lets it stand)" : ""}`;
    this.editorHolder = element("div", "why", why); // while it is edited its reason makes room
    said.append(this.editorHolder);
    if (row.field.others.length) said.append(candidateList(row.field.others, (place_) => this.candidate(place_)));
    this.dock.replaceChildren(sight, said, this.buttons());
  }

  /** What the dock shows of a paper: much around the place; of a value to be said unseen, where it is about. */
  sightOf(row) {
    if (row.near) return { page: row.near[0], box: row.near[1] };
    const place = this.placeOf(row.document);
    return place && { page: place.page, box: aroundOf(place.box) };
  }

  buttons() {
    const row = element("div", "acts");
    row.append(
      button("Accept", "Enter", () => this.accept()),
      button("Mend", "e", () => this.edit()),
      button("Not there", ".", () => this.absent()),
      button("Leave", "x", () => this.leave()),
      button("Undo", "Ctrl Z", () => this.undo()),
      button("Previous screen", "[", () => this.turn(-1)),
      button("Next screen", "]", () => this.turn(1)),
    );
    return row;
  }

  goTo(paper) {
    if (this.editing) this.stopEditing();
    this.model.goTo(paper);
    this.mark();
  }

  closer(paper) {
    const row = this.rows.get(paper);
    const place = row?.near ? this.sightOf(row) : this.placeOf(paper);
    if (place) lookCloser(paper, place.page, place.box, this.root.dataset.name);
  }

  // ---- Answering ----

  get canAnswer() {
    return Boolean(this.at && ["open", "left"].includes(this.model.states.get(this.model.at)));
  }

  give(values, absent = false) {
    if (!this.canAnswer) return;
    this.put(this.model.at, values, absent);
    this.onwards();
  }

  put(paper, values, absent = false) {
    this.given.set(paper, { values, absent });
    this.said.delete(paper);
    this.model.answer(paper);
    this.saver.put(`${paper} ${this.key}`, bodyOf(values, absent));
    this.redraw(paper);
  }

  /** To the next open row, on another screen where this one is done. */
  onwards() {
    const { screen } = this.model;
    this.model.next();
    if (this.model.screen !== screen) this.show();
    else this.mark();
  }

  accept() {
    const field = this.at?.field;
    if (!field || !this.canAnswer) this.onwards();
    else if (field.values.length) this.give(field.values);
    else if (absenceIsLikely(field, this.at.unseen)) this.give([], true);
    else this.tell("There is nothing to accept: type the value, or press . if it is not on this paper.");
  }

  candidate(place) {
    const other = this.at?.field.others[place];
    if (other) this.give([other]);
    return Boolean(other);
  }

  absent() {
    this.give([], true);
  }

  say(text) {
    if (!this.at || !YES_OR_NO.includes(this.at.field.data_type)) return false;
    const { page = null, box = null } = this.at.field.values[0] || {};
    this.give([{ text, page, box }]);
    return true;
  }

  leave() {
    const state = this.model.states.get(this.model.at);
    if (state === "left") this.model.states.set(this.model.at, "open");
    else if (state === "open") this.model.states.set(this.model.at, "left");
    this.redraw(this.model.at);
    if (state === "open") this.onwards();
  }

  together() {
    return this.model.together((paper) => this.rows.get(paper)?.field.values.length);
  }

  acceptScreen() {
    const together = this.together();
    if (!this.ready) this.tell("A screen can be accepted once its pictures have been in view for a moment.");
    else if (!together.length) this.tell("There is nothing on this screen that can be accepted together.");
    else {
      for (const paper of together) this.put(paper, this.rows.get(paper).field.values);
      this.onwards();
    }
  }

  /** A screen can be accepted together when each of its pictures has been in view for a moment. */
  async wait() {
    this.ready = false;
    this.titles();
    const { screen } = this.model;
    const images = [...this.holder.querySelectorAll("img")];
    await Promise.all(images.map((image) => image.decode().catch(() => null)));
    await new Promise((resolve) => setTimeout(resolve, 1000 * SECONDS_A_ROW * images.length));
    if (screen !== this.model.screen) return;
    this.ready = true;
    this.titles();
  }

  edit(start = "") {
    const row = this.at;
    if (!row || !this.canAnswer || this.editing) return;
    this.editing = true;
    const text = start || row.field.values.map((value) => value.text).join("; ");
    const made = editor(
      text,
      (typed) => this.normal(row.field, typed),
      (typed) => {
        this.stopEditing();
        const { page = null, box = null } = row.field.values[0] || {};
        this.give([{ text: typed, page, box }]);
      },
      () => this.stopEditing(),
    );
    this.editorHolder.replaceChildren(made);
    made.focusInput();
    const input = /** @type {HTMLInputElement} */ (made.querySelector("input, textarea"));
    if (start) input.setSelectionRange(start.length, start.length);
  }

  stopEditing() {
    this.editing = false;
    /** @type {HTMLElement} */ (document.activeElement)?.blur();
    this.drawDock();
  }

  async normal(field, text) {
    const path = `/api/v1/types/${this.type}/fields/${field.key}/normal-form?text=${encodeURIComponent(text)}`;
    const found = await call("GET", path).catch(() => null);
    return found ? found.normal : text;
  }

  async undo() {
    const { screen } = this.model;
    const paper = this.model.takeBack();
    if (paper === null) {
      this.tell("There is nothing to undo.");
      return;
    }
    this.given.delete(paper);
    this.saver.put(`${paper} ${this.key}`, null);
    if (screen === this.model.screen) this.redraw(paper);
    else this.show();
  }

  // ---- What the server says ----

  async saved(paper, answer) {
    const row = this.rows.get(paper);
    if (row) row.revision = answer.revision;
    const left = this.saver.waiting.length;
    this.tell(left ? `Saving, ${left} to go` : "Saved");
    if (!answer.holds[this.key] || this.model.states.get(paper) === "open") return;
    await this.fetch([paper]); // it waits still: why, and for what
    this.model.states.set(paper, "open");
    this.given.delete(paper);
    this.said.set(paper, answer.holds[this.key].detail);
    this.redraw(paper);
  }

  async notSaved(item, error) {
    const paper = parseInt(item.key);
    const typed = item.body ? item.body.values.map((value) => value.text).join("; ") : "";
    await this.fetch([paper]).catch(() => null);
    if (this.model.states.get(paper) === "sent") this.model.states.set(paper, "open");
    this.given.delete(paper);
    this.said.set(paper, `Not saved${typed ? ` (${typed})` : ""}: ${error.message}`);
    this.tell("Not saved", "held");
    this.redraw(paper);
  }

  tell(text, kind = "") {
    const status = this.root.querySelector("[data-status]");
    status.textContent = text;
    status.className = `state ${kind}`;
  }

  // ---- Keys and sizes ----

  turn(by) {
    if (this.model.turn(by)) this.show();
    else this.tell("There is no other screen in this direction.");
  }

  step(by) {
    if (this.model.move(by)) this.mark();
    else this.turn(Math.sign(by));
  }

  listen() {
    this.agree.addEventListener("click", () => this.acceptScreen());
    let { capacity } = this;
    new ResizeObserver(() => {
      if (capacity === this.capacity) return;
      capacity = this.capacity;
      this.model.lay(capacity, this.lines);
      this.show();
    }).observe(this.holder);
    setKeys({
      j: () => this.step(1),
      k: () => this.step(-1),
      ArrowDown: () => this.step(1),
      ArrowUp: () => this.step(-1),
      ArrowRight: () => this.step(this.lines),
      ArrowLeft: () => this.step(-this.lines),
      "[": () => this.turn(-1),
      "]": () => this.turn(1),
      n: () => this.say("no") || this.onwards(),
      e: () => this.edit(),
      x: () => this.leave(),
      o: () => {
        if (this.at) location.href = `/review/${this.at.document}`;
      },
      ".": () => this.absent(),
      " ": () => this.at && this.closer(this.at.document),
      Enter: () => this.accept(),
      "Shift+Enter": () => this.acceptScreen(),
      "Ctrl+z": () => this.undo(),
      any: (event) => this.anyKey(event),
    });
  }

  /** A digit takes a candidate, y answers a tick box; what is no key begins a value. */
  anyKey(event) {
    if (event.ctrlKey || event.metaKey || event.key.length !== 1 || event.key === "?") return false;
    if (/^[1-9]$/.test(event.key) && this.candidate(Number(event.key) - 1)) return true;
    if (event.key === "y" && this.say("yes")) return true;
    this.edit(event.key);
    return true;
  }
}

const root = document.getElementById("sweep");
if (root?.querySelector("[data-screen]")) new Sweep(root).open();
