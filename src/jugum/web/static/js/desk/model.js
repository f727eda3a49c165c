// The paper on the desk: its fields, what stands for each, what is open, and what is sent when a person decides. No
// page, no network, no clock: all of it can be tested alone.

import { boxOfWord, union } from "./geometry.js";

/** @typedef {import("./geometry.js").Box} Box */
/** @typedef {import("./geometry.js").Word} Word */
/** @typedef {"label" | "review" | "look"} Mode */
/**
 * A value with its place; `spots` are further places as words or boxes, while they are not saved yet.
 * @typedef {object} Value
 * @property {string} text
 * @property {string} [normal]
 * @property {number | null} page
 * @property {Box | null} box
 * @property {[number, Box][]} [more_places]
 * @property {number[]} [words]
 * @property {{page: number, words?: number[], box?: Box}[]} [spots]
 * @property {boolean} [part] of a word: its box follows the text when it is saved
 * @property {number | null} [confidence]
 * @property {string} [origin]
 * @property {string | null} [person]
 * @property {string} [ocr_text]
 */
/** @typedef {(Value | null)[]} Row */
/**
 * A field on the desk; which of the properties are there depends on the desk (labelling or review).
 * @typedef {object} DeskField
 * @property {string} key
 * @property {string} name
 * @property {string} data_type
 * @property {boolean} many
 * @property {Value[]} values
 * @property {Row[]} rows
 * @property {Value[]} others
 * @property {number | null} threshold
 * @property {{kind: string, columns: [string, string, string][], options: string[]}} shape
 * @property {boolean} [decided]
 * @property {boolean} [absent]
 * @property {string} [method]
 * @property {Value[]} [suggestion]
 * @property {Row[]} [suggested_rows]
 * @property {boolean} [passes]
 * @property {number} [weight] what speaks for the suggestion against one from other pages
 * @property {boolean} [disputed]
 * @property {string} [failing]
 * @property {string | null} [hold]
 * @property {string} [detail]
 * @property {boolean} [advisory]
 * @property {string[]} [blocking] keys of the checks it is held for that must hold
 * @property {boolean} [settled] a person has said what it is
 * @property {number | null} [confidence]
 * @property {string} [letter] the key that picks it
 */
/** @typedef {"key" | "decided" | "absent" | "method" | "values" | "rows" | "hold" | "detail" | "settled"} Kept */
/** What can be undone of a field. @typedef {Pick<DeskField, Kept>} Snapshot */
/** What to send for a field: an answer, or null to take back what was said of it. */
/** @typedef {{key: string, body: any}} Sent */

/** @param {Row} row */
const pageOf = (row) => row.find((cell) => cell?.page)?.page ?? 0;

/** What stands on the earlier page. @param {Value[]} one @param {Value[]} other */
const firstOf = (one, other) => (one.length && (one[0].page ?? 0) <= (other[0].page ?? 0) ? one : other);

/**
 * Rows of a table from two parts of a paper, in the order of their pages; a page that both have read counts once.
 * @param {Row[]} before
 * @param {Row[]} fresh
 */
function joinedRows(before, fresh) {
  const known = new Set(before.map(pageOf));
  return [...before, ...fresh.filter((row) => !known.has(pageOf(row)))].sort(
    (one, other) => pageOf(one) - pageOf(other),
  );
}

const RESERVED = "egjknxGJ"; // keys of the desk that pick no field
const LETTERS = "abcdfhilmopqrstuvwyzABCDEFHILMOPQRSTUVWYZ";
export const MARKS = ["tick box", "choice", "signature"];
export const YES_OR_NO = ["tick box", "signature"];
const METHODS = ["marked", "typed", "agreed", "recorded"];
const ABSENCE_LIKELY = 0.5; // confidence
const SNAP_LETTERS = 1.5;
const SECONDS_MAX = 120; // a longer pause is no work on the field

/** The same of a held field anywhere; `unseen`: what passed of it is not shown. */
export function absenceIsLikely(field, unseen) {
  const empty = !field.values.length && !field.rows?.length;
  if (empty && field.hold === "spot check") return !unseen;
  return Boolean(empty && field.hold === "low confidence" && (field.confidence ?? 0) >= ABSENCE_LIKELY);
}

export class Paper {
  /**
   * @param {any} data as the server gives it
   * @param {Mode} mode
   */
  constructor(data, mode) {
    this.mode = mode;
    /** @type {Snapshot[][]} */
    this.undoable = [];
    /** @type {Snapshot[][]} */
    this.redoable = [];
    this.accept(data);
  }

  /**
   * Take the paper as the server has it now; what can be undone stays. News that is older than what is known (an answer
   * came in while it was under way) is no news; fields whose answers are not sent yet stay as they are.
   * @param {Set<string>} unsent
   * @returns whether it was taken
   */
  accept(data, unsent = new Set()) {
    if (this.data && data.revision < this.data.revision) return false;
    const mine = new Map(
      (this.fields || []).filter((field) => unsent.has(field.key)).map((field) => [field.key, field]),
    );
    this.data = data;
    /** @type {DeskField[]} */
    this.fields = data.fields.map((field) => mine.get(field.key) || field);
    if (this.mode === "label") letterFields(this.fields);
    return true;
  }

  field(key) {
    return this.fields.find((field) => field.key === key);
  }

  isOpen(field) {
    return this.mode === "label" ? !field.decided : Boolean(field.hold);
  }

  /** Whether a person has said what a field is. */
  isAnswered(field) {
    return Boolean(this.mode === "label" ? field.decided : field.settled);
  }

  /** Whether nothing was read for a held field, and that is more likely right than wrong: then it can be accepted. So
   * can that nothing passed, where what passed is shown. */
  absenceIsLikely(field) {
    return this.mode === "review" && absenceIsLikely(field, this.data.check !== "open");
  }

  /** Whether all that waits on the paper had passed and is only checked. */
  get isOnlyChecked() {
    const waiting = this.fields.filter((field) => field.hold);
    return this.mode === "review" && waiting.length > 0 && waiting.every((field) => field.hold === "spot check");
  }

  get open() {
    return this.fields.filter((field) => this.isOpen(field)).length;
  }

  /** What stands for a field now: its values, and whether they are only suggested. */
  standing(field) {
    if (this.mode === "label" && !field.decided) return { values: field.suggestion, ghost: true };
    return { values: field.values, ghost: false };
  }

  /** A table's cells as they stand. */
  rowsOf(field) {
    return this.mode === "label" && !field.decided ? field.suggested_rows : field.rows;
  }

  hasPlace(field) {
    return this.standing(field).values.some((value) => value.box);
  }

  /** The key of the next open field after one (or from the start); it comes round to the start again. */
  nextOpen(after) {
    const from = after ? this.fields.findIndex((field) => field.key === after) + 1 : 0;
    const ordered = [...this.fields.slice(from), ...this.fields.slice(0, from)];
    return ordered.find((field) => this.isOpen(field))?.key || null;
  }

  /** The key of the field so many after one, round and round. */
  neighbour(key, by) {
    const keys = this.fields.map((field) => field.key);
    return keys[(keys.indexOf(key) + by + keys.length) % keys.length];
  }

  /** Fields that have a suggestion and no answer, and those among them that pass their threshold. */
  suggested() {
    const all = this.fields.filter((field) => !field.decided && field.suggestion?.length);
    return { all, passing: all.filter((field) => field.passes) };
  }

  shown(field, filter) {
    return {
      all: true,
      open: !field.decided,
      suggested: !field.decided && field.suggestion?.length > 0,
      disputed: field.disputed,
      failing: Boolean(field.failing),
    }[filter];
  }

  title() {
    const { name, state, left, version } = this.data;
    const { open } = this;
    if (this.mode === "look") return `${name}: ${state}${version ? `, read by version ${version}` : ""}`;
    if (this.mode === "review") {
      const checks = `${open} ${open === 1 ? "value" : "values"} to check`;
      const waits = this.isOnlyChecked ? checks : `${open} ${open === 1 ? "field waits" : "fields wait"}`;
      return `${name}: ${open ? waits : state}${left ? `, ${left} more to review` : ""}`;
    }
    const done = open ? `${open} of ${this.fields.length} to mark` : "Every field is marked";
    return `${state === "labelled" ? "Labelled" : done}${left ? `, ${left} more` : ""}: ${name}`;
  }

  // ---- News from the server ----

  /**
   * Suggestions from some of the pages: only for fields without an answer, and only where more speaks for them than for
   * what stands there; never in place of one that is being looked at. A table's rows on further pages are added.
   * @param {DeskField[]} fresh
   * @param {string | null} active
   */
  suggest(fresh, active = null) {
    for (const { key, suggestion, others, threshold, suggested_rows, passes, weight } of fresh) {
      const field = this.field(key);
      if (!field || field.decided || !suggestion.length) continue;
      if (suggested_rows.length) {
        field.suggestion = firstOf(field.suggestion, suggestion);
        field.suggested_rows = joinedRows(field.suggested_rows, suggested_rows);
        const rows = field.suggested_rows.length;
        Object.assign(field.suggestion[0], { text: `${rows} ${rows === 1 ? "row" : "rows"}` });
      } else if (!field.suggestion.length || (key !== active && weight > (field.weight || 0))) {
        Object.assign(field, { suggestion, others, threshold, passes, weight });
      }
    }
  }

  /**
   * What is held now: a check that fails holds a field again, one that holds lets it go. Fields still to be sent stay
   * as they are. Returns the fields that are held anew.
   * @param {Record<string, {reason: string, detail: string, blocking: string[], advisory: boolean, checks: string[]}>} holds
   * @param {Set<string>} unsent
   */
  hold(holds, unsent) {
    const anew = [];
    for (const field of this.fields) {
      if (unsent.has(field.key)) continue;
      const now = holds[field.key];
      if (now && !field.hold) anew.push(field);
      const { reason = null, detail = "", blocking = [], advisory = false, checks = [] } = now || {};
      Object.assign(field, { hold: reason, detail, blocking, advisory, checks });
    }
    return anew;
  }

  // ---- Answers ----

  /** @param {Value[]} values */
  setValues(field, values, { absent = false, method = "marked" } = {}) {
    field.values = values.map((value) => ({ person: null, ...value, confidence: null }));
    if (this.mode === "label") Object.assign(field, { decided: absent || values.length > 0, absent, method });
    Object.assign(field, { hold: null, settled: true });
  }

  /** A table's rows; its one value says how many there are, where the first of them stand. */
  setRows(field, rows) {
    field.rows = rows;
    const placed = rows.flat().filter((cell) => cell?.box);
    const page = placed.length ? Math.min(...placed.map((cell) => cell.page)) : null;
    const boxes = placed.filter((cell) => cell.page === page).map((cell) => cell.box);
    const text = `${rows.length} ${rows.length === 1 ? "row" : "rows"}`;
    const box = boxes.length ? union(boxes) : null;
    field.values = rows.length ? [{ text, normal: text, page, box, confidence: null, person: null }] : [];
    if (this.mode === "label") Object.assign(field, { decided: true, absent: !rows.length });
    Object.assign(field, { hold: null, settled: true });
  }

  /** @param {Value[]} values */
  valuesBody(values, { absent = false, method = "marked" } = {}) {
    const sent = values.map((value) => ({
      text: value.text,
      page: value.page ?? null,
      words: value.words || [],
      box: value.words ? null : (value.box ?? null),
      more_places: value.spots || (value.more_places || []).map(([page, box]) => ({ page, box })),
    }));
    return { absent, values: sent, ...(this.mode === "review" ? {} : { method }) };
  }

  rowsBody(field, rows, method) {
    const keys = field.shape.columns.map(([key]) => key);
    const cell = (value) => ({ text: value?.text || "", page: value?.page ?? null, box: value?.box ?? null });
    const sent = rows.map((row) => Object.fromEntries(keys.map((key, place) => [key, cell(row[place])])));
    return { rows: sent, ...(this.mode === "review" ? {} : { method }) };
  }

  /**
   * How long an answer took, and whether a suggestion stood there and was not taken.
   * @param {Snapshot} before
   */
  timing(field, before, method, seconds) {
    if (this.mode !== "label") return {};
    return {
      seconds: Math.round(Math.min(SECONDS_MAX, seconds) * 100) / 100,
      corrected: method !== "agreed" && !before.decided && field.suggestion?.length > 0,
    };
  }

  // ---- Undo and redo ----

  /** @returns {Snapshot} */
  snapshot({ key, decided, absent, method, values, rows, hold, detail, settled }) {
    return { key, decided, absent, method, values, rows, hold, detail, settled };
  }

  /** @param {Snapshot} before */
  remember(field, before) {
    this.undoable.push([before, this.snapshot(field)]);
    this.redoable = [];
  }

  /** Go back one step; what to send for the field, or null when there is nothing to undo. */
  undo() {
    return this.#step(this.undoable, this.redoable, 0);
  }

  redo() {
    return this.#step(this.redoable, this.undoable, 1);
  }

  #step(from, to, place) {
    const step = from.pop();
    if (!step) return null;
    to.push(step);
    const state = step[place];
    const field = this.field(state.key);
    if (!field) return null; // the plan was changed meanwhile
    Object.assign(field, state);
    return { key: state.key, body: this.mode === "review" ? this.#reviewed(field) : this.#labelled(field) };
  }

  /** What a person said of a field in review is sent again; what was read of it by taking the answer back (null). */
  #reviewed(field) {
    if (field.hold || !field.settled) return null;
    if (field.shape.kind === "table") return this.rowsBody(field, field.rows || [], "marked");
    return this.valuesBody(field.values, { absent: !field.values.length });
  }

  /** @param {DeskField} field */
  #labelled(field) {
    const { decided, absent, values, rows } = field;
    const method = METHODS.includes(field.method) ? field.method : "marked";
    return field.shape.kind === "table" && decided
      ? this.rowsBody(field, rows || [], method)
      : this.valuesBody(decided ? values : [], { absent: Boolean(decided && absent), method });
  }
}

/** A key for each field: of its name where one is free, else any. */
export function letterFields(fields) {
  const taken = new Set(RESERVED);
  if (fields.some((field) => YES_OR_NO.includes(field.data_type))) taken.add("y"); // answers them
  for (const field of fields) {
    const wanted = field.name.toLowerCase().replace(/[^a-z]/g, "") + LETTERS;
    field.letter = [...wanted].find((letter) => !taken.has(letter)) || "";
    taken.add(field.letter);
  }
}

/**
 * A value of words that were clicked or swept, over several lines or pages.
 * @param {{page: number, words: number[], text?: string}[]} places the first, then those it goes on in; `text` is what
 *   is taken of a word
 * @param {(page: number) => Word[]} wordsOf
 * @returns {Value}
 */
export function valueOfWords(places, wordsOf) {
  const spots = places.map(({ page, words }) => {
    const taken = words.map((index) => wordsOf(page)[index]);
    return { page, words, said: taken.map((word) => word[0]).join(" "), box: union(taken.map(boxOfWord)) };
  });
  const [first, ...rest] = spots;
  const { text } = places[0];
  const said = text ?? spots.map((spot) => spot.said).join(" ");
  return {
    text: said,
    normal: said,
    page: first.page,
    box: first.box,
    words: first.words,
    part: text !== undefined,
    more_places: rest.map(({ page, box }) => [page, box]),
    spots: rest.map(({ page, words }) => ({ page, words })),
  };
}

/**
 * One value of two: what stands apart on the paper and belongs together.
 * @param {Value} value
 * @param {Value} added of words
 * @returns {Value}
 */
export function joined(value, added) {
  const text = `${value.text} ${added.text}`;
  const addedSpot = { page: added.page, words: added.words };
  const spots = value.words
    ? [...(value.spots || []), addedSpot]
    : [...(value.more_places || []).map(([page, box]) => ({ page, box })), addedSpot, ...(added.spots || [])];
  return {
    ...value,
    text,
    normal: text,
    part: !value.words,
    more_places: [...(value.more_places || []), [added.page, added.box], ...(added.more_places || [])],
    spots,
  };
}

/**
 * What may be meant of a word that says more: "No.4711" → "4711" (a lead of letters and marks is taken off a word with
 * digits), "01/02/2026-28/02/2026" → each of the two dates.
 * @returns {string[]}
 */
export function partsOfWord(text) {
  if (text.includes(" ")) return [];
  const dates = /^(\d+[./]\d+[./]\d+)[-–—](\d+[./]\d+[./]\d+)$/.exec(text);
  if (dates) return dates.slice(1);
  const found = /^(?:[A-Za-z]{1,4}[.:#°]|[#№:])\s*(\S.*)$/.exec(text);
  return found && /\d/.test(found[1]) ? [found[1]] : [];
}

/** Where a word may be parted, in letters from its start: beside the marks in it. */
const seams = (text) => [
  0,
  text.length,
  ...[...text.matchAll(/[-–—:;=,()#]/g)].flatMap(({ index }) => [index, index + 1]),
];

/**
 * The letters of a word between two places (0 to 1 of its width). Letters are not equally wide: an end close to a mark
 * in the word is at the mark.
 */
export function lettersBetween(text, from, to) {
  const ends = [from, to].map((share) => Math.min(1, Math.max(0, share)) * text.length);
  const [a, b] = ends.map((at) => {
    const nearest = seams(text).reduce((best, seam) => (Math.abs(seam - at) < Math.abs(best - at) ? seam : best));
    return Math.abs(nearest - at) <= SNAP_LETTERS ? nearest : Math.round(at);
  });
  return text.slice(Math.min(a, b), Math.max(a, b));
}
