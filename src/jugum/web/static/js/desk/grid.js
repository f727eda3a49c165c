// The grid of a table's cells: a row a line, moved through as in a spreadsheet; what is typed stays with the row it
// stands in.

import { union } from "./geometry.js";
import { button, element } from "./notes.js";

export class Grid {
  /**
   * @param {import("./model.js").DeskField} field
   * @param {import("./model.js").Row[]} rows
   * @param {{save: (rows: import("./model.js").Row[]) => void, left: () => void, at: (cell: any) => void}} acts
   */
  constructor(field, rows, acts) {
    this.columns = field.shape.columns;
    this.acts = acts;
    this.root = element("div", "grid-editor");
    this.body = element("tbody");
    this.rails = element("div");
    const table = element("table", "grid");
    table.append(this.head(), this.body);
    this.root.append(this.bar(field.name), this.rails, table);
    this.body.addEventListener("keydown", (event) => this.key(event));
    this.body.addEventListener("paste", (event) => this.paste(event));
    this.setRows(rows);
  }

  head() {
    const head = element("tr");
    for (const [, name, type] of this.columns) {
      const cell = element("th", "", name);
      cell.title = type;
      head.append(cell);
    }
    head.append(element("th"));
    return head;
  }

  bar(name) {
    const bar = element("div", "grid-bar");
    const add = () => {
      this.add();
      this.focus(this.body.children.length - 1, 0);
    };
    bar.append(
      element("b", "", name),
      element("span", "quiet small", "draw a box around the table on the page, or type"),
      button("Add a row", "", add),
      element("span", "spacer"),
      button("Cancel", "Esc", this.acts.left),
      button("Save the rows", "Ctrl Enter", () => this.save()),
    );
    return bar;
  }

  save() {
    this.acts.save(this.rows());
  }

  /** What is shown above the cells. */
  setBar(shown) {
    this.rails.replaceChildren(shown);
  }

  /** @returns {any[][]} inputs, row by row */
  inputs() {
    return [...this.body.querySelectorAll("tr")].map((row) => [...row.querySelectorAll("input")]);
  }

  focus(row = 0, column = 0) {
    const all = this.inputs();
    const line = all[Math.max(0, Math.min(all.length - 1, row))];
    const input = line?.[Math.max(0, Math.min(this.columns.length - 1, column))];
    input?.focus();
    input?.select();
  }

  /** The cells as they stand: what was not changed keeps its place, what was typed the place of its cell. */
  rows() {
    const value = ({ value: text, cell }) => {
      const said = text.trim();
      if (!said) return null;
      return cell?.text === said ? cell : { text: said, page: cell?.page ?? null, box: cell?.box ?? null };
    };
    return this.inputs().map((line) => line.map(value));
  }

  /** Other rows in place of these; who was in the grid, or nowhere, stays in it. */
  setRows(rows) {
    const within = this.body.contains(document.activeElement) || document.activeElement === document.body;
    this.body.replaceChildren();
    for (const cells of rows.length ? rows : [[]]) this.add(cells);
    if (within && this.root.isConnected) this.focus();
  }

  add(cells = [], after = null) {
    const row = element("tr");
    row.append(...this.columns.map(([, name], place) => this.cell(name, cells[place])));
    const drop = element("button", "btn-quiet", "×");
    drop.type = "button";
    drop.setAttribute("aria-label", "Remove the row");
    drop.addEventListener("click", () => this.remove(row));
    const last = element("td");
    last.append(drop);
    row.append(last);
    if (after) after.after(row);
    else this.body.append(row);
  }

  cell(name, value) {
    const input = element("input");
    input.value = value?.text || "";
    input.cell = value || null;
    input.setAttribute("aria-label", name);
    input.addEventListener("focus", () => this.acts.at(input.cell));
    const cell = element("td");
    cell.append(input);
    return cell;
  }

  remove(row) {
    row.remove();
    if (!this.body.children.length) this.add();
  }

  /** A cell that was read over two columns: the next one's words are put into this one, with the box around both. */
  join(cells, column) {
    const [mine, next] = [cells[column], cells[column + 1]];
    if (!next) return;
    const [a, b] = [mine.cell, next.cell];
    mine.value = `${mine.value} ${next.value}`.trim();
    const together = a?.box && b?.box && a.page === b.page;
    mine.cell = together ? { text: mine.value, page: a.page, box: union([a.box, b.box]) } : a || b;
    next.value = "";
    next.cell = null;
  }

  key(event) {
    const done = event.ctrlKey || event.metaKey || event.altKey ? this.change(event) : this.move(event);
    event.stopPropagation();
    if (done) event.preventDefault();
  }

  /** Where an event happened: the row's element, its number, its inputs, the column. */
  at({ target }) {
    const row = target.closest("tr");
    const cells = [...row.querySelectorAll("input")];
    return { row, number: [...this.body.children].indexOf(row), cells, column: cells.indexOf(target) };
  }

  /** Keys with Ctrl or Alt change rows; whether it was one. */
  change(event) {
    const { row, number, cells, column } = this.at(event);
    const ctrl = event.ctrlKey || event.metaKey;
    if (event.key === "Enter" && ctrl) this.save();
    else if (event.key === "Delete" && ctrl) {
      this.remove(row);
      this.focus(number, column);
    } else if (event.key === "Enter" && event.altKey) {
      this.add([], row);
      this.focus(number + 1, 0);
    } else if (event.key === "ArrowRight" && event.altKey) this.join(cells, column);
    else return false;
    return true;
  }

  /** Other keys go to another cell, from the end of a text or when all of it is chosen; whether it was one. */
  move(event) {
    const { number, column } = this.at(event);
    const { selectionStart: from, selectionEnd: to, value } = event.target;
    const whole = from === 0 && to === value.length;
    const last = number === this.body.children.length - 1;
    if (event.key === "Enter" || event.key === "ArrowDown") {
      if (last && event.key === "Enter") this.add();
      this.focus(number + 1, column);
    } else if (event.key === "ArrowUp") this.focus(number - 1, column);
    else if (event.key === "ArrowLeft" && (whole || (from === 0 && to === 0)) && column) this.focus(number, column - 1);
    else if (event.key === "ArrowRight" && (whole || from === value.length) && column < this.columns.length - 1)
      this.focus(number, column + 1);
    else if (event.key === "Escape") this.acts.left();
    else return false;
    return true;
  }

  /** Cells copied in a spreadsheet, from the one at hand to the right and down. */
  paste(event) {
    const text = event.clipboardData.getData("text/plain");
    if (!/[\t\n]/.test(text.trim())) return;
    event.preventDefault();
    const { number, column } = this.at(event);
    const lines = text.replace(/\r/g, "").replace(/\n$/, "").split("\n");
    lines.forEach((line, down) => {
      if (!this.body.children[number + down]) this.add();
      line.split("\t").forEach((said, right) => {
        const input = this.inputs()[number + down][column + right];
        if (input) input.value = said;
      });
    });
  }
}
