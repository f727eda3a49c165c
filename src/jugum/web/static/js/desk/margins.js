// The margins: a note for each value beside its place, and a leader from the one to the other.

import { svg } from "../frame/beam.js";
import { balance, gutterUnder, sideOf, stack } from "./place.js";
import { MARKS, YES_OR_NO } from "./model.js";
import { TALL } from "./pages.js";
import { button, LOUPE_WIDTH, noteFor } from "./notes.js";

export const NOTE_WIDTH = 262;
const [LOUPE_HEIGHT, LOUPE_HEIGHT_MAX, MARK_HEIGHT] = [88, 420, 132]; // pixels of the picture, two for each of the note

export class Margins {
  /** @param {import("./view.js").DeskView} view */
  constructor(view) {
    this.view = view;
    this.leaders = view.root.querySelector(".leaders");
    /** @type {Map<string, string>} the side of each value's note, from when it was drawn first */
    this.sides = new Map();
  }

  /** A note stays on its side for as long as the paper is open: only new ones are dealt out. */
  keepSides(placed) {
    if (this.view.frame.sides === 1) {
      for (const one of placed) one.side = "left";
      return;
    }
    const name = ({ field, index }) => `${field.key}:${index}`;
    balance(placed.filter((one) => !this.sides.has(name(one))));
    for (const one of placed) {
      one.side = this.sides.get(name(one)) || one.side;
      this.sides.set(name(one), one.side);
    }
  }

  get fields() {
    const { paper, selection } = this.view;
    return paper.fields.filter((field) => paper.shown(field, selection.filter));
  }

  draw() {
    const { plane, pages } = this.view;
    plane.querySelectorAll(".note").forEach((note) => note.remove());
    const placed = this.placed();
    for (const one of placed) {
      one.note = this.note(one);
      plane.append(one.note);
      // A note under edit grows with what is typed and with what is said of it: it covers no other.
      if (one.note.focusInput) new ResizeObserver(() => this.arrange(placed)).observe(one.note);
      one.height = one.note.offsetHeight;
    }
    this.keepSides(placed);
    this.arrange(placed);
    pages.outline(this.places());
    plane.querySelector(".note.active")?.focusInput?.();
  }

  /** Put all notes where they have room, with their leaders. */
  arrange(placed) {
    const { plane, frame } = this.view;
    for (const one of placed) one.height = one.note.offsetHeight;
    let bottom = frame.height + 40;
    for (const side of ["left", "right"]) {
      const notes = placed.filter((one) => one.side === side);
      if (notes.length) bottom = Math.max(bottom, this.put(notes, side));
    }
    plane.style.height = `${bottom}px`;
    this.leaders.setAttribute("viewBox", `0 0 ${frame.planeWidth} ${bottom}`);
    this.leaders.style.height = `${bottom}px`;
    this.leaders.replaceChildren(...placed.map((one) => this.leader(one)));
  }

  /** The values whose pages are near, from top to bottom, each with the side its note stands on. */
  placed() {
    const { paper, pages } = this.view;
    const found = [];
    for (const field of this.fields) {
      const { values, ghost } = paper.standing(field);
      values.forEach((value, index) => {
        const page = value.box && pages.element(value.page);
        if (!page?.root || !page.page.words) return;
        const at = pages.pixels(value.page, value.box);
        found.push({ field, value, ghost, index, side: sideOf(value.box, page.page.words), at, wish: at.y0 });
      });
    }
    return found.sort((a, b) => a.at.y0 - b.at.y0 || a.at.x0 - b.at.x0);
  }

  /** Put the notes of one side; returns where the lowest ends. */
  put(notes, side) {
    const { frame, pages } = this.view;
    const { left, width, gutter, top } = frame;
    const edge = side === "left" ? left - gutter - NOTE_WIDTH : left + width + gutter;
    const heights = notes.map((one) => one.height);
    const wishes = notes.map((one) => top + (one.at.y0 + one.at.y1) / 2 - 24);
    const tops = stack(wishes, heights, top);
    notes.forEach((one, index) => {
      one.under = gutterUnder(one.value.box, pages.element(one.value.page).page.words, side);
      one.top = tops[index];
      Object.assign(one.note.style, { left: `${edge}px`, top: `${one.top}px` });
      const canvas = one.note.querySelector("canvas");
      if (canvas) pages.crop(canvas, one.value.page, one.value.box, MARKS.includes(one.field.data_type));
    });
    return tops.at(-1) + heights.at(-1) + 20;
  }

  leader({ field, value, ghost, side, at, under, top }) {
    const { frame, pages, selection } = this.view;
    const page = pages.element(value.page);
    const y = frame.top + page.top + under * page.height;
    const right = frame.left + frame.width;
    const [edge, noteEdge] = side === "left" ? [frame.left, frame.left - frame.gutter] : [right, right + frame.gutter];
    const [near, far] = side === "left" ? [at.x0, at.x1] : [at.x1, at.x0];
    return svg("path", {
      class: `${ghost ? "ghost" : ""} ${field.key === selection.active ? "active" : ""}`,
      d: `M${noteEdge} ${top + 14}L${edge} ${y}H${frame.left + near}H${frame.left + far}`,
    });
  }

  /** Outlines of all places: a value over several lines or pages has more than one. */
  places() {
    const { paper, selection } = this.view;
    const found = this.fields.flatMap((field) => {
      const { values, ghost } = paper.standing(field);
      const kind = `${ghost ? "ghost" : ""} ${field.key === selection.active ? "active" : ""}`;
      return values
        .filter((value) => value.box)
        .flatMap((value) => [[value.page, value.box], ...(value.more_places || [])])
        .map(([page, box]) => ({ page, box, kind }));
    });
    return selection.free ? [...found, { ...selection.free, kind: "free" }] : found;
  }

  note({ field, value, ghost, index }) {
    const { paper, selection, acts } = this.view;
    const active = field.key === selection.active;
    const held = paper.mode === "review" && Boolean(field.hold);
    const editing = active && selection.editing;
    const state = {
      active,
      ghost,
      held,
      grid: field.shape.kind === "table" ? paper.rowsOf(field) : null,
      editing: editing && index === 0 && field.shape.kind !== "table",
      loupe: held || (active && paper.mode === "look") ? this.loupeHeight(field, value, active) : 0,
      open: paper.mode === "review" || (paper.mode === "label" && ghost),
    };
    return noteFor(field, value, state, {
      buttons: active ? this.buttons(field, value, ghost, held) : [],
      candidate: acts.candidate,
      chosen: () => {
        if (!selection.editing || !active) acts.pick(field.key);
      },
      normalOf: (text) => acts.normal(field, text),
      typed: (text) => acts.typed(field, text, value),
      left: acts.stopEditing,
      closer: () => acts.closer(field, value),
    });
  }

  /** How high the picture in a note is: of the active one as high as its place needs, so that tables can be read. */
  loupeHeight(field, { page: number, box }, active) {
    if (MARKS.includes(field.data_type)) return MARK_HEIGHT;
    const { page } = this.view.pages.element(number) || {};
    if (!active || !page || box[3] - box[1] < TALL) return LOUPE_HEIGHT;
    const ratio = ((box[3] - box[1]) * page.height) / ((box[2] - box[0]) * page.width);
    return Math.round(Math.min(LOUPE_HEIGHT_MAX, Math.max(LOUPE_HEIGHT, 1.1 * LOUPE_WIDTH * ratio)));
  }

  buttons(field, value, ghost, held) {
    const { paper, acts } = this.view;
    const made = [];
    if ((paper.mode === "label" && ghost) || held) made.push(button("Accept", "Enter", acts.agree));
    if (held && field.advisory) made.push(button("Accept as it is", "", acts.agree));
    if (held && field.blocking?.length && paper.data.may_let_stand)
      made.push(button("It stands so on the paper", "", () => acts.letStand(field)));
    if (paper.mode === "look" || field.shape.kind === "derived") return made;
    made.push(button("Edit", "e", acts.edit), button("Not on paper", ".", acts.absent));
    if (paper.mode === "label" && !ghost) made.push(button("Clear", "⌫", acts.clear));
    for (const option of YES_OR_NO.includes(field.data_type) ? field.shape.options : [])
      made.push(button(option, option === "yes" || paper.isOpen(field) ? option[0] : "", () => acts.answer(option)));
    made.push(...acts.moreButtons(field, value, ghost));
    return made;
  }
}
