// A table marked on the page: rails part its columns, lines its rows. They are dragged, added and removed; what stands
// between them is put into the grid below at once. A table may have a part on each of several pages.

import { svg } from "../frame/beam.js";
import { call } from "../frame/server.js";
import { boxOfWord, union } from "./geometry.js";
import { element, button } from "./notes.js";

const NUDGE = 0.002;

export class Rails {
  // changed(rows) is told the cells of all parts whenever something moved.
  constructor(pages, field, { changed, tell }) {
    this.pages = pages;
    this.field = field;
    this.changed = changed;
    this.tell = tell;
    this.parts = [];
    this.chosen = null; // {part, kind: "rails" | "lines", at}
  }

  get any() {
    return this.parts.length > 0;
  }

  // A swept region: rails and lines are proposed for it; a part of the same page that it covers is put in its place.
  async sweep(page, box) {
    let found;
    try {
      found = await call("POST", `/api/v1/documents/${this.pages.document}/tables/${this.field.key}/rails`, {
        page,
        box,
      });
    } catch (error) {
      this.tell(error.message);
      return;
    }
    const before = this.parts.find((part) => part.columns.some(Boolean));
    if (before && !found.columns.some(Boolean) && before.rails.length === found.rails.length)
      found.columns = [...before.columns];
    const keep = this.parts.filter(
      (part) => part.page !== page || Math.min(part.lines.at(-1), box[3]) <= Math.max(part.lines[0], box[1]),
    );
    this.parts = [...keep, { page, rails: found.rails, lines: found.lines, columns: found.columns }].sort(
      (a, b) => a.page - b.page || a.lines[0] - b.lines[0],
    );
    this.draw();
    this.changed(this.rows());
  }

  // All cells, row by row, in the order of the field's columns.
  rows() {
    const keys = this.field.shape.columns.map(([key]) => key);
    return this.parts.flatMap((part) => {
      const words = this.pages.element(part.page).page.words || [];
      return part.lines.slice(1).map((bottom, row) =>
        keys.map((key) => {
          const place = part.columns.indexOf(key);
          return place < 0 ? null : cell(words, part, place, part.lines[row], bottom);
        }),
      );
    });
  }

  // ---- Drawing and dragging ----

  draw() {
    for (const one of this.pages.near) {
      const parts = this.parts.filter((part) => part.page === one.page.number);
      one.helps.replaceChildren(...parts.flatMap((part) => this.lines(one, part)));
    }
  }

  lines(one, part) {
    const [x0, x1] = [part.rails[0], part.rails.at(-1)];
    const [y0, y1] = [part.lines[0], part.lines.at(-1)];
    const made = (kind, at, place) => {
      const chosen = this.chosen?.part === part && this.chosen.kind === kind && this.chosen.at === at;
      const [a, b] =
        kind === "rails"
          ? [
              [place, y0 - 0.006],
              [place, y1 + 0.006],
            ]
          : [
              [x0 - 0.008, place],
              [x1 + 0.008, place],
            ];
      const spot = { x1: a[0] * 1000, y1: a[1] * 1000, x2: b[0] * 1000, y2: b[1] * 1000 };
      const hold = svg("line", {
        ...spot,
        class: "rail-hold",
        "data-hold": kind,
        tabindex: 0,
        role: "separator",
        "aria-label": `${kind === "rails" ? "Column line" : "Row line"} ${at + 1}`,
      });
      hold.addEventListener("pointerdown", (event) => this.drag(event, one, part, kind, at));
      hold.addEventListener("dblclick", (event) => {
        event.stopPropagation();
        this.remove(part, kind, at);
      });
      hold.addEventListener("focus", () => {
        this.chosen = { part, kind, at };
      });
      hold.addEventListener("keydown", (event) => this.key(event, part, kind, at));
      return [svg("line", { ...spot, class: `rail${chosen ? " chosen" : ""}` }), hold];
    };
    const ground = svg("rect", {
      class: "table-ground",
      "data-hold": "ground",
      x: x0 * 1000,
      y: y0 * 1000,
      width: (x1 - x0) * 1000,
      height: (y1 - y0) * 1000,
    });
    ground.addEventListener("dblclick", (event) => this.addAt(event, one, part));
    return [
      ground,
      ...part.rails.flatMap((place, at) => made("rails", at, place)),
      ...part.lines.flatMap((place, at) => made("lines", at, place)),
    ];
  }

  drag(event, one, part, kind, at) {
    if (event.button !== 0) return;
    event.preventDefault();
    event.stopPropagation();
    this.chosen = { part, kind, at };
    const area = one.layer.getBoundingClientRect();
    const [x, y] = [event.clientX, event.clientY];
    let moves = false; // a click or a double click moves nothing, and must not draw the line anew under the pointer
    const move = (moved) => {
      moves = moves || Math.hypot(moved.clientX - x, moved.clientY - y) > 2;
      if (!moves) return;
      const place =
        kind === "rails" ? (moved.clientX - area.left) / area.width : (moved.clientY - area.top) / area.height;
      this.put(part, kind, at, place);
    };
    const end = () => {
      window.removeEventListener("pointermove", move);
      window.removeEventListener("pointerup", end);
      if (moves) this.changed(this.rows());
    };
    window.addEventListener("pointermove", move);
    window.addEventListener("pointerup", end);
  }

  put(part, kind, at, place) {
    const all = part[kind];
    const [low, high] = [at ? all[at - 1] + 0.002 : 0, at < all.length - 1 ? all[at + 1] - 0.002 : 1];
    all[at] = Math.min(high, Math.max(low, place));
    this.draw();
  }

  key(event, part, kind, at) {
    const step = { ArrowLeft: -1, ArrowUp: -1, ArrowRight: 1, ArrowDown: 1 }[event.key];
    if (step) this.put(part, kind, at, part[kind][at] + step * NUDGE);
    else if (event.key === "Delete" || event.key === "Backspace") this.remove(part, kind, at);
    else return;
    event.preventDefault();
    event.stopPropagation();
    this.changed(this.rows());
    this.pages.near.flatMap((one) => [...one.helps.querySelectorAll(`[data-hold=${kind}]`)])[at]?.focus();
  }

  // Double click: a row line; with shift a column rail.
  addAt(event, one, part) {
    event.stopPropagation();
    const area = one.layer.getBoundingClientRect();
    const kind = event.shiftKey ? "rails" : "lines";
    this.add(
      part,
      kind,
      event.shiftKey ? (event.clientX - area.left) / area.width : (event.clientY - area.top) / area.height,
    );
  }

  add(part, kind, place) {
    const at = part[kind].findIndex((other) => other > place);
    if (at <= 0) return;
    part[kind].splice(at, 0, place);
    if (kind === "rails") part.columns.splice(at, 0, "");
    this.chosen = { part, kind, at };
    this.draw();
    this.changed(this.rows());
  }

  // A rail or line in the middle of the widest gap, for those who don't use a mouse.
  addMiddle(kind) {
    const part = this.chosen?.part || this.parts[0];
    if (!part) return;
    const gaps = part[kind].slice(1).map((place, at) => place - part[kind][at]);
    const widest = gaps.indexOf(Math.max(...gaps));
    this.add(part, kind, part[kind][widest] + gaps[widest] / 2);
  }

  remove(part, kind, at) {
    if (part[kind].length <= 2) {
      this.parts = this.parts.filter((other) => other !== part);
    } else {
      part[kind].splice(at, 1);
      if (kind === "rails")
        part.columns.splice(
          at === 0 ? 0 : at - 1 < part.columns.length && part.columns[at] === "" ? at : Math.max(0, at - 1),
          1,
        );
    }
    this.chosen = null;
    this.draw();
    this.changed(this.rows());
  }

  removeChosen() {
    if (this.chosen) this.remove(this.chosen.part, this.chosen.kind, this.chosen.at);
    else this.tell("Click a column line or a row line first, or double-click it to delete it.");
  }

  // ---- The bar above the grid: which column is which ----

  bar() {
    const bar = element("div", "rail-bar");
    this.parts.forEach((part) => {
      const holder = element("span", "rail-columns");
      if (this.parts.length > 1) holder.append(element("span", "quiet small", `page ${part.page}`));
      part.columns.forEach((key, at) => {
        const choice = element("select", "form-select");
        choice.setAttribute("aria-label", `Column ${at + 1} on page ${part.page}`);
        for (const [value, name] of [["", "no column"], ...this.field.shape.columns.map(([one, said]) => [one, said])])
          choice.append(new Option(name, value, false, value === key));
        choice.addEventListener("change", () => {
          part.columns = part.columns.map((other, place) =>
            place === at ? choice.value : other === choice.value ? "" : other,
          );
          this.changed(this.rows());
        });
        holder.append(choice);
      });
      bar.append(holder);
    });
    bar.append(
      button("Add a row line", "", () => this.addMiddle("lines")),
      button("Add a column line", "", () => this.addMiddle("rails")),
      button("Delete line", "", () => this.removeChosen()),
    );
    return bar;
  }
}

function cell(words, part, place, top, bottom) {
  const [left, right] = [part.rails[place], part.rails[place + 1]];
  const inside = words.filter(
    ([, x0, y0, x1, y1]) =>
      (x0 + x1) / 2 >= left && (x0 + x1) / 2 < right && (y0 + y1) / 2 >= top && (y0 + y1) / 2 < bottom,
  );
  if (!inside.length) return null;
  const text = inside.map((word) => word[0]).join(" ");
  return { text, page: part.page, box: union(inside.map(boxOfWord)) };
}
