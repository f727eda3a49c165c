// How the desk is drawn: notes in the margins with their leaders, the dock below.

import { beam, svg } from "../beam.js";
import { balance, gutterUnder, sideOf, stack } from "./place.js";
import { gridEditor } from "./grid.js";
import { button, editor, element, noteFor } from "./notes.js";

export const NOTE_WIDTH = 262;
const GUTTER = 34;

export const drawing = {
  draw() {
    const scroll = this.scroll.scrollTop;
    const margins = 2 * (NOTE_WIDTH + GUTTER + 10);
    const room = Math.max(this.scroll.clientWidth, 1024) - margins - 24;
    const width = Math.round(Math.min(room, 1000) * this.zoom);
    const left = NOTE_WIDTH + GUTTER + 10;
    const planeWidth = Math.max(this.scroll.clientWidth - 1, width + margins);
    this.left = Math.max(left, (planeWidth - width) / 2);
    this.pages.holder.style.left = `${this.left}px`;
    this.pagesTop = 14;
    this.pagesHeight = this.pages.layout(width);
    this.plane.style.width = `${planeWidth}px`;
    this.planeWidth = planeWidth;
    this.width = width;
    this.notes();
    this.drawDock();
    this.titles();
    this.root.querySelector("[data-zoom]").textContent = `${Math.round(this.zoom * 100)} %`;
    this.scroll.scrollTop = scroll;
    this.helps?.show(this.editing || !this.active ? null : this.field(this.active)).then?.(() => this.rails?.draw());
  },

  // Pages or words have come near: their notes too, without moving anything else.
  came() {
    if (!this.paper || this.pressed) return;
    cancelAnimationFrame(this.soon);
    this.soon = requestAnimationFrame(() => { if (!this.editing || this.rails) { this.notes(); this.helps?.draw(); this.rails?.draw(); } });
  },

  shown(field) {
    return { all: true, open: !field.decided, suggested: !field.decided && field.suggestion?.length > 0, disputed: field.disputed, failing: Boolean(field.failing) }[this.filter || "all"];
  },

  notes() {
    this.plane.querySelectorAll(".note").forEach((note) => note.remove());
    const placed = [];
    for (const field of this.paper.fields.filter((one) => this.shown(one))) {
      const { values, ghost } = this.standing(field);
      values.forEach((value, index) => {
        if (!value.box) return;
        const page = this.pages.element(value.page);
        if (!page || !page.root || !page.page.words) return;
        const at = this.pages.pixels(value.page, value.box);
        placed.push({ field, value, ghost, index, side: sideOf(value.box, page.page.words), at, wish: at.y0 });
      });
    }
    placed.sort((a, b) => a.at.y0 - b.at.y0 || a.at.x0 - b.at.x0);
    for (const one of placed) {
      one.note = this.note(one);
      this.plane.append(one.note);
      one.height = one.note.offsetHeight;
    }
    balance(placed);
    let bottom = this.pagesHeight + 40;
    for (const side of ["left", "right"]) {
      const mine = placed.filter((one) => one.side === side);
      for (const one of mine) {
        one.under = gutterUnder(one.value.box, this.pages.element(one.value.page).page.words, side);
        one.note.style.left = `${side === "left" ? this.left - GUTTER - NOTE_WIDTH : this.left + this.width + GUTTER}px`;
        const canvas = one.note.querySelector("canvas");
        if (canvas) this.pages.crop(canvas, one.value.page, one.value.box);
      }
      const heights = mine.map((one) => one.height);
      const tops = stack(mine.map((one) => this.pagesTop + (one.at.y0 + one.at.y1) / 2 - 24), heights);
      mine.forEach((one, index) => { one.note.style.top = `${tops[index]}px`; one.top = tops[index]; });
      if (tops.length) bottom = Math.max(bottom, tops.at(-1) + heights.at(-1) + 20);
    }
    this.plane.style.height = `${bottom}px`;
    this.leaders.setAttribute("viewBox", `0 0 ${this.planeWidth} ${bottom}`);
    this.leaders.style.height = `${bottom}px`;
    this.leaders.replaceChildren(...placed.map((one) => this.leader(one)));
    this.outline();
    this.plane.querySelector(".note.active")?.focusInput?.();
  },

  // Outlines of all places: a value over several lines or pages has more than one.
  outline() {
    const places = this.paper.fields.filter((one) => this.shown(one)).flatMap((field) => {
      const { values, ghost } = this.standing(field);
      const kind = `${ghost ? "ghost" : ""} ${field.key === this.active ? "active" : ""}`;
      return values.flatMap((value) => (value.box ? [{ page: value.page, box: value.box, kind }, ...(value.more || []).map(([page, box]) => ({ page, box, kind }))] : []));
    });
    if (this.free) places.push({ ...this.free, kind: "free" });
    this.pages.outline(places);
  },

  leader({ field, value, ghost, side, at, under, top }) {
    const page = this.pages.element(value.page);
    const y = this.pagesTop + page.top + under * page.height;
    const edge = side === "left" ? this.left : this.left + this.width;
    const noteEdge = side === "left" ? this.left - GUTTER : this.left + this.width + GUTTER;
    const [near, far] = side === "left" ? [at.x0, at.x1] : [at.x1, at.x0];
    return svg("path", { class: `${ghost ? "ghost" : ""} ${field.key === this.active ? "active" : ""}`, d: `M${noteEdge} ${top + 14}L${edge} ${y}H${this.left + near}H${this.left + far}` });
  },

  note({ field, value, ghost, index }) {
    const active = field.key === this.active;
    const held = this.mode === "review" && Boolean(field.hold);
    const buttons = [];
    if (active && this.mode === "label" && ghost) buttons.push(button("Agree", "Enter", () => this.agree()));
    if (active && held) buttons.push(button("Agree", "Enter", () => this.agree()));
    if (active && this.mode === "review" && held && field.advisory) buttons.push(button("Let it stand", "", () => this.agree()));
    if (active && this.mode !== "look" && field.shape.kind !== "derived") {
      buttons.push(button("Edit", "e", () => this.edit()));
      buttons.push(button("Not on it", ".", () => this.absent()));
      if (this.mode === "label" && !ghost) buttons.push(button("Clear", "⌫", () => this.clear()));
      if (this.mode === "label") buttons.push(...this.moreActs(field, value, ghost));
    }
    return noteFor(field, value, { active, ghost, held, grid: field.shape.kind === "table" ? this.rowsOf(field) : null, editing: active && this.editing && index === 0 && field.shape.kind !== "table", loupe: held || (active && this.mode === "look"), open: this.mode === "review" || (this.mode === "label" && ghost) }, {
      buttons,
      candidate: (place) => this.candidate(place),
      chosen: () => { if (!this.editing || !active) this.pick(field.key); },
      normalOf: (text) => this.normal(field, text),
      typed: (text) => this.typed(text, value),
      left: () => { this.editing = false; this.draw(); },
    });
  },

  drawDock() {
    const active = this.active && this.field(this.active);
    this.dock.classList.toggle("tall", Boolean(active && this.editing && active.shape.kind === "table"));
    if (active && this.editing && active.shape.kind === "table") { this.drawGrid(active); return; }
    if (this.typingIn(active)) return;
    this.dock.dataset.field = active ? active.key : "";
    if (this.rails) { this.rails = null; this.pages.mode = "words"; this.pages.near.forEach((one) => one.helps.replaceChildren()); }
    const chips = this.paper.fields.filter((field) => this.shown(field) && !this.standing(field).values.some((value) => value.box)).map((field) => this.chip(field));
    const parts = [];
    const lead = this.mode === "label" ? (chips.length ? "To mark:" : "Every field has its place.") : this.mode === "review" ? (chips.length ? "Without a place:" : "") : (chips.length ? "Not on this paper:" : "");
    parts.push(element("span", "lead", lead), ...chips);
    if (this.free && active) parts.push(this.freeEntry(active));
    else if (active && this.mode !== "look" && !this.standing(active).values.some((value) => value.box)) parts.push(this.entry(active));
    this.dock.replaceChildren(...parts);
    if (this.editing) this.dock.querySelector(".entry input")?.focus();
  },

  // Whether somebody is typing a value for this field in the dock just now: what is typed is not drawn over by news.
  typingIn(field) {
    const input = this.dock.querySelector(".entry input");
    return Boolean(input && input === document.activeElement && input.value && field && this.dock.dataset.field === field.key);
  },

  chip(field) {
    const values = this.standing(field).values;
    const chip = element("button", `chip${field.key === this.active ? " active" : ""}${field.hold ? " held" : ""}${field.absent ? " absent" : ""}`);
    chip.type = "button";
    chip.dataset.field = field.key;
    if (field.letter) chip.append(element("kbd", "", field.letter));
    chip.append(field.name);
    const decided = this.mode === "label" ? field.decided : !field.hold;
    if (field.hold && field.confidence != null && !values.length) chip.append(beam(field.confidence, field.threshold));
    if (values.length) chip.append(element("span", "mono", values.map((value) => value.text).join("; ")));
    else if (decided) chip.append(element("span", "quiet small", "not on it"));
    else if (field.hold) chip.append(element("span", "held small", field.hold));
    if (field.disputed) chip.append(element("span", "held small", "disputed"));
    chip.addEventListener("click", () => this.pick(field.key));
    return chip;
  },

  // A table's rows to fill in, in the dock; the paper stays in sight, with rails over it once it is swept.
  drawGrid(field) {
    if (this.grid?.field === field.key && this.dock.contains(this.grid.editor)) { this.rails?.draw(); return; }
    const editor_ = gridEditor(field, this.rowsOf(field), {
      save: (rows) => this.putRows(field, rows, this.rails?.any ? "marked" : "typed"),
      left: () => { this.editing = false; this.draw(); },
      at: (cell) => { if (cell?.box) this.pages.reveal(cell.page, cell.box); },
    });
    this.grid = { field: field.key, editor: editor_ };
    this.openRails(field, editor_);
    this.dock.replaceChildren(editor_);
    editor_.focusInput();
  },

  // For a field without a place: what to do, typing, "not on this paper", candidates.
  entry(field) {
    const holder = element("span", "entry");
    if (field.shape.kind === "derived") { holder.append(element("span", "quiet small", "worked out from other fields: mend those")); return holder; }
    if (field.shape.kind === "table") { holder.append(element("span", "quiet small", "No rows were found."), button("Mark or fill in rows", "e", () => this.edit()), button("Not on this paper", ".", () => this.absent())); return holder; }
    for (const option of field.shape.options) { const made = button(option, "", () => this.typed(option, this.standing(field).values[0])); holder.append(made); }
    const how = field.shape.kind === "clause" ? `Click the paragraph of ${field.name} (with shift for more of them), or` : `Click or sweep the words of ${field.name}, or`;
    const found = field.hold === "low confidence" ? `“Not on this paper” is ${Math.round((field.confidence || 0) * 100)} % sure. Agree, click its words, or` : how;
    holder.append(element("span", "quiet small", found), this.typing(field), button(field.hold === "low confidence" ? "Agree: not on it" : "Not on this paper", field.hold === "low confidence" ? "Enter" : ".", () => this.absent()));
    const others = field.others || [];
    others.slice(0, 4).forEach((other, index) => {
      const made = button(other.text, "", () => this.candidate(index));
      made.prepend(element("kbd", "", String(index + 1)), " ");
      holder.append(made);
    });
    return holder;
  },

  typing(field, place = null) {
    const box = editor(this.standing(field).values[0]?.text || "", (text) => this.normal(field, text), (text) => this.typed(text, place), () => { this.editing = false; this.free = null; this.root.focus(); document.activeElement.blur(); this.draw(); });
    box.querySelector("input").className = "form-control";
    box.querySelector("input").placeholder = "type the value, Enter";
    return box;
  },

  // A box where no word was read: read it again closely, or type what stands there.
  freeEntry(field) {
    const holder = element("span", "entry");
    const offers = element("span", "offers");
    const { page, box } = this.free;
    holder.append(element("span", "quiet small", `A box for ${field.name} where no word was read:`));
    if (this.mode === "label") holder.append(button("Read again here", "", () => this.readHere(field, page, box, offers)));
    holder.append(offers, this.typing(field, { page, box }), button("Leave it", "Esc", () => { this.free = null; this.draw(); }));
    return holder;
  },
};
