// The grid: fields by papers. The cell of the cursor is shown in the dock with its place, and can be corrected there.

import { setKeys } from "../frame/keys.js";
import { call } from "../frame/server.js";
import { lookCloser } from "../desk/closer.js";
import { button, editor, element } from "../desk/notes.js";
import { answers, bodyOf } from "./answers.js";
import { aroundOf, pictured } from "./sight.js";

/** @typedef {{text: string, page: ?number, box: ?number[], hold: string, detail: string, unseen: boolean, may: boolean, single: boolean, name: string}} Cell */

class Grid {
  /** @param {HTMLElement} root */
  constructor(root) {
    this.root = root;
    this.type = root.dataset.type;
    this.dock = /** @type {HTMLElement} */ (root.querySelector("[data-dock]"));
    this.rows = /** @type {HTMLTableRowElement[]} */ ([...root.querySelectorAll("tbody tr")]);
    this.place = [0, 0];
    this.editing = false;
    /** @type {[string, Cell][]} cells as they were before they were answered, the latest last */
    this.undoable = [];
    this.saver = answers(`jugum-grid-${this.type}`, (name) => Number(this.rowOf(name)?.dataset.revision), {
      told: (text, kind) => this.tell(text, kind),
      saved: (item, answer) => this.saved(item.key, answer),
      conflict: (item, error) => this.notSaved(item, error),
      refused: (item, error) => this.notSaved(item, error),
    });
  }

  open() {
    this.listen();
    this.mark();
    const [mine, gone] = [[], []];
    for (const item of this.saver.waiting) (this.rowOf(item.key) ? mine : gone).push(item);
    for (const { key, body } of mine) if (body) this.write(key, body.values[0]?.text || "");
    if (gone.length) this.tell("Answers to papers of another page wait to be sent; open that page again.", "held");
    else this.saver.run();
    this.root.dataset.ready = "yes";
  }

  // ---- Cells ----

  /** @param {string} name "paper field" */
  rowOf(name) {
    const [paper] = name.split(" ");
    return this.rows.find((row) => row.dataset.paper === paper);
  }

  elementOf(name) {
    const [, field] = name.split(" ");
    return /** @type {HTMLElement} */ (this.rowOf(name)?.querySelector(`[data-field="${field}"]`));
  }

  get at() {
    const [row, column] = this.place;
    return /** @type {HTMLElement} */ (this.rows[row].querySelectorAll("td.cell")[column]);
  }

  get row() {
    return this.rows[this.place[0]];
  }

  /** @returns {Cell} */
  get cell() {
    return JSON.parse(this.at.dataset.cell);
  }

  get name() {
    return `${this.row.dataset.paper} ${this.at.dataset.field}`;
  }

  /** @param {string} name @param {Partial<Cell>} changes */
  change(name, changes) {
    const at = this.elementOf(name);
    if (!at) return;
    const cell = { ...JSON.parse(at.dataset.cell), ...changes };
    at.dataset.cell = JSON.stringify(cell);
    at.title = cell.text;
    at.querySelector("span").textContent = cell.unseen ? "unseen" : cell.text;
    at.classList.toggle("is-held", Boolean(cell.hold && cell.hold !== "spot check"));
    if (!cell.hold) at.querySelector("svg")?.remove();
  }

  write(name, text) {
    this.change(name, { text, hold: "", detail: "", unseen: false });
    this.elementOf(name)?.classList.add("said");
  }

  // ---- The cursor ----

  mark() {
    for (const cell of this.root.querySelectorAll("td.at")) cell.classList.remove("at");
    this.at.classList.add("at");
    this.at.scrollIntoView({ block: "nearest", inline: "nearest" });
    this.drawDock();
  }

  move(down, right) {
    const [row, column] = this.place;
    const columns = this.rows[0].querySelectorAll("td.cell").length;
    this.place = [
      Math.max(0, Math.min(this.rows.length - 1, row + down)),
      Math.max(0, Math.min(columns - 1, column + right)),
    ];
    this.mark();
  }

  next() {
    const all = [...this.root.querySelectorAll("td.cell")];
    const waits = (cell) => Boolean(JSON.parse(cell.dataset.cell).hold);
    const here = all.indexOf(this.at);
    const found = all.slice(here + 1).find(waits) ?? all.slice(0, here).find(waits);
    if (found) this.goTo(found);
    else this.tell("Nothing on this page waits for a person.");
  }

  goTo(cell) {
    if (this.editing) this.stopEditing();
    const row = cell.closest("tr");
    this.place = [this.rows.indexOf(row), [...row.querySelectorAll("td.cell")].indexOf(cell)];
    this.mark();
  }

  drawDock() {
    if (this.editing) return;
    const { cell, row } = this;
    const sight = element("div", "sight");
    if (cell.box && !cell.unseen) {
      const within = aroundOf(cell.box);
      const source = `/documents/${row.dataset.paper}/pages/${cell.page}/region.jpg?dpi=150&box=${within.join(",")}`;
      sight.append(pictured(source, `${cell.name} on its paper`, within, cell.box, () => this.closer()));
    } else sight.append(element("span", "quiet", "no place on the page"));
    const said = element("div", "about");
    const line = element("div", "of");
    const link = /** @type {HTMLAnchorElement} */ (element("a", "", row.querySelector("th").textContent));
    link.href = `/review/${row.dataset.paper}`;
    line.append(element("b", "", cell.name), link, element("span", "quiet small", row.dataset.layout));
    said.append(line, element("div", "mono", cell.unseen ? "" : cell.text || "not there"));
    this.editorHolder = element("div", "why", cell.hold ? `${cell.hold}: ${cell.detail}` : "");
    said.append(this.editorHolder);
    this.dock.replaceChildren(sight, said, this.buttons());
  }

  buttons() {
    const made = element("div", "acts");
    made.append(
      button("Accept", "Enter", () => this.accept()),
      button("Mend", "e", () => this.edit()),
      button("Not there", ".", () => this.give([], true)),
      button("Next held", "n", () => this.next()),
      button("Papers that say this", "f", () => this.filter()),
      button("Undo", "Ctrl Z", () => this.undo()),
    );
    return made;
  }

  closer() {
    const { cell } = this;
    if (cell.box && !cell.unseen) lookCloser(this.row.dataset.paper, cell.page, cell.box, cell.name);
  }

  filter() {
    const { cell } = this;
    const address = new URL(location.href);
    address.searchParams.delete("after");
    address.searchParams.set("field", this.at.dataset.field);
    address.searchParams.set("value", cell.text);
    if (cell.text) location.href = String(address);
  }

  // ---- Saying ----

  get may() {
    const { cell, row } = this;
    if (!cell.single) this.tell("What has several values or rows is settled on the whole paper: press o.");
    else if (!cell.may)
      this.tell(`The paper is ${row.querySelector("[data-state]").textContent}: it is not changed here.`);
    return cell.single && cell.may;
  }

  give(values, absent = false) {
    if (!this.may) return;
    this.undoable.push([this.name, this.cell]);
    this.write(this.name, values[0]?.text || "");
    this.saver.put(this.name, bodyOf(values, absent));
    this.drawDock();
  }

  accept() {
    const { cell } = this;
    if (!cell.hold) this.next();
    else if (!cell.text)
      this.tell("There is nothing to accept: type the value, or press . if it is not on this paper.");
    else {
      const { text, page, box } = cell;
      this.give([{ text, page, box }]);
      if (!this.cell.hold) this.next();
    }
  }

  edit(start = "") {
    if (this.editing || !this.may) return;
    this.editing = true;
    const { cell } = this;
    const field = this.at.dataset.field;
    const made = editor(
      start || cell.text,
      (text) => this.normal(field, text),
      (text) => {
        this.stopEditing();
        this.give([{ text, page: cell.page, box: cell.box }]);
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
    const path = `/api/v1/types/${this.type}/fields/${field}/normal-form?text=${encodeURIComponent(text)}`;
    const found = await call("GET", path).catch(() => null);
    return found ? found.normal : text;
  }

  undo() {
    const [name, before] = this.undoable.pop() || [];
    if (!name) {
      this.tell("There is nothing to undo.");
      return;
    }
    this.change(name, before);
    this.elementOf(name)?.classList.remove("said");
    this.saver.put(name, null);
    this.goTo(this.elementOf(name));
  }

  saved(name, answer) {
    const row = this.rowOf(name);
    if (!row) return;
    row.dataset.revision = String(answer.revision);
    row.querySelector("[data-state]").textContent = answer.state;
    for (const cell of row.querySelectorAll("td.cell")) {
      const { field } = /** @type {HTMLElement} */ (cell).dataset;
      const held = answer.holds[field];
      if (held) this.change(`${row.dataset.paper} ${field}`, { hold: held.reason, detail: held.detail });
      else this.change(`${row.dataset.paper} ${field}`, { hold: "", detail: "" });
    }
    this.tell(this.saver.waiting.length ? "Saving…" : "Saved");
    this.drawDock();
  }

  notSaved(item, error) {
    const typed = item.body ? item.body.values.map((value) => value.text).join("; ") : "";
    const place = this.undoable.findLastIndex(([name]) => name === item.key);
    if (place >= 0) this.change(item.key, { ...this.undoable.splice(place, 1)[0][1], detail: error.message });
    this.elementOf(item.key)?.classList.remove("said");
    this.tell(`Not saved${typed ? ` (${typed})` : ""}: ${error.message}`, "held");
    this.drawDock();
  }

  tell(text, kind = "") {
    const status = this.root.querySelector("[data-status]");
    status.textContent = text;
    status.className = `state ${kind}`;
  }

  listen() {
    for (const cell of this.root.querySelectorAll("td.cell")) cell.addEventListener("click", () => this.goTo(cell));
    setKeys({
      j: () => this.move(1, 0),
      k: () => this.move(-1, 0),
      ArrowDown: () => this.move(1, 0),
      ArrowUp: () => this.move(-1, 0),
      ArrowRight: () => this.move(0, 1),
      ArrowLeft: () => this.move(0, -1),
      n: () => this.next(),
      e: () => this.edit(),
      f: () => this.filter(),
      o: () => {
        location.href = `/review/${this.row.dataset.paper}`;
      },
      ".": () => this.give([], true),
      " ": () => this.closer(),
      Enter: () => this.accept(),
      "Ctrl+z": () => this.undo(),
      any: (event) => {
        if (event.ctrlKey || event.metaKey || event.key.length !== 1 || event.key === "?") return false;
        this.edit(event.key);
        return true;
      },
    });
  }
}

const root = document.getElementById("grid");
if (root?.querySelector("tbody")) new Grid(root).open();
