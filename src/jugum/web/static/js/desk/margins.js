// The margins: a note for each value beside its place, and a leader from the one to the other.

import { svg } from "../frame/beam.js";
import { balance, gutterUnder, sideOf, stack } from "./place.js";
import { MARKS, YES_OR_NO } from "./model.js";
import { TALL } from "./pages.js";
import { button, CANDIDATES_MOST, element, LOUPE_WIDTH, noteFor } from "./notes.js";

export const NOTE_WIDTH = 262;
const [LOUPE_HEIGHT, LOUPE_HEIGHT_MAX, MARK_HEIGHT] = [88, 420, 132]; // pixels of the picture, two for each of the note

const MENDS_MOST = 3; // changes that are offered for a check
const NOTHING = { text: "", normal: "", confidence: null, origin: "" };

export class Margins {
  /** @param {import("./view.js").DeskView} view */
  constructor(view) {
    this.view = view;
    this.leaders = view.root.querySelector(".leaders");
    /** @type {Map<string, string>} the side of each value's note, from when it was drawn first */
    this.sides = new Map();
    /** @type {?number} the candidate that a key or the mouse rests on */
    this.pointed = null;
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
    const { paper } = this.view;
    /** @type {any[]} */
    const found = [];
    for (const field of this.fields) {
      const { values, ghost } = paper.standing(field);
      values.forEach((value, index) => {
        const placed = this.near(value);
        if (placed) found.push({ field, value, ghost, index, ...placed });
      });
      // What waits without a place stands beside its first candidate.
      const other =
        !paper.hasPlace(field) && paper.mode === "review" && field.hold && field.others.find((one) => one.box);
      const placed = other && this.near(other);
      if (placed) {
        const value = { ...NOTHING, page: other.page, box: other.box };
        found.push({ field, value, ghost: false, index: 0, offer: true, ...placed });
      }
    }
    return found.sort((a, b) => a.at.y0 - b.at.y0 || a.at.x0 - b.at.x0);
  }

  /** How a field's place is pictured: a mark with what stands around it, a run of words with its printed name. */
  kindOf(field) {
    if (MARKS.includes(field.data_type)) return "mark";
    return field.shape.kind === "value" ? "words" : "part";
  }

  /** Where a value stands, if its page is near. */
  near({ page: number, box }) {
    const { pages } = this.view;
    const page = box && pages.element(number);
    if (!page?.root || !page.page.words) return null;
    const at = pages.pixels(number, box);
    return { side: sideOf(box, page.page.words), at, wish: at.y0 };
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
      if (canvas) pages.crop(canvas, one.value.page, one.value.box, this.kindOf(one.field));
    });
    return tops.at(-1) + heights.at(-1) + 20;
  }

  leader({ field, value, ghost, side, at, under, top, offer = false }) {
    const { frame, pages, selection } = this.view;
    const page = pages.element(value.page);
    const y = frame.top + page.top + under * page.height;
    const right = frame.left + frame.width;
    const [edge, noteEdge] = side === "left" ? [frame.left, frame.left - frame.gutter] : [right, right + frame.gutter];
    const [near, far] = side === "left" ? [at.x0, at.x1] : [at.x1, at.x0];
    return svg("path", {
      class: `${ghost || offer ? "ghost" : ""} ${field.key === selection.active ? "active" : ""}`,
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
    found.push(...this.offers());
    return selection.free ? [...found, { ...selection.free, kind: "free" }] : found;
  }

  /** Where the candidates of the active field stand that waits, each with its key; one is `pointed` at. */
  offers() {
    const { active, paper, selection } = this.view;
    if (paper.mode !== "review" || !active?.hold || selection.editing) return [];
    return active.others.slice(0, CANDIDATES_MOST).flatMap(({ page, box }, place) => {
      const kind = place === this.pointed ? "offer pointed" : "offer";
      return page && box ? [{ page, box, kind, tag: String(place + 1) }] : [];
    });
  }

  /** A key or the mouse rests on a candidate (null: on none): it is shown on the page. */
  point(place) {
    this.pointed = place;
    const other = place === null ? null : this.view.active?.others[place];
    // the page does not move away under the mouse
    if (other?.box && document.activeElement?.closest(".candidates")) this.view.pages.reveal(other.page, other.box);
    this.view.pages.outline(this.places());
  }

  note({ field, value, ghost, index, offer = false }) {
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
      loupe: !offer && (held || (active && paper.mode === "look")) ? this.loupeHeight(field, value, active) : 0,
      open: paper.mode === "review" || (paper.mode === "label" && ghost),
    };
    return noteFor(field, value, state, {
      buttons: active ? this.buttons(field, offer ? NOTHING : value, ghost, held) : [],
      candidate: acts.candidate,
      pointed: (place) => this.point(place),
      mends: active && held ? this.mends(field) : [],
      chosen: () => {
        if (!selection.editing || !active) acts.pick(field.key);
      },
      normalOf: (text) => acts.normal(field, text),
      typed: (text) => acts.typed(field, text, value),
      left: acts.stopEditing,
      closer: () => acts.closer(field, value),
    });
  }

  /** What would make the checks true that a field waits for: buttons for candidates, words for the rest. */
  mends(field) {
    const { paper, acts } = this.view;
    const failing = (paper.data.checks || []).filter((check) => field.checks.includes(check.key));
    return failing.flatMap((check) =>
      check.mends.slice(0, MENDS_MOST).map(({ key, name, text, other }) => {
        const said = key === field.key ? `“${text}”` : `${name} “${text}”`;
        return other === null
          ? element("span", "normal", `The check holds with ${said}`)
          : button(`Take ${said}: the check holds`, "", () => acts.mend(key, other));
      }),
    );
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
    const nothing = held && value === NOTHING;
    if (nothing && paper.absenceIsLikely(field)) made.push(button("Accept: not on paper", "Enter", acts.agree));
    else if ((paper.mode === "label" && ghost) || (held && !nothing)) made.push(button("Accept", "Enter", acts.agree));
    if (held && field.advisory) {
      made.push(button("Accept as it is", "", acts.agree));
      const all = paper.fields.filter((one) => one.hold && one.advisory).length;
      if (all > 1) made.push(button(`Let all ${all} stand so`, "", acts.letAllStand));
    }
    if (held && field.blocking?.length && paper.data.may_let_stand)
      made.push(button("It stands so on the paper", "", () => acts.letStand(field)));
    if (paper.mode === "look" || field.shape.kind === "derived") return made;
    made.push(button(nothing ? "Type it" : "Edit", "e", acts.edit));
    if (!nothing || !paper.absenceIsLikely(field)) made.push(button("Not on paper", ".", acts.absent));
    if (paper.mode === "label" && !ghost) made.push(button("Clear", "⌫", acts.clear));
    for (const option of YES_OR_NO.includes(field.data_type) ? field.shape.options : [])
      made.push(button(option, option === "yes" || paper.isOpen(field) ? option[0] : "", () => acts.answer(option)));
    made.push(...acts.moreButtons(field, value, ghost));
    return made;
  }
}
