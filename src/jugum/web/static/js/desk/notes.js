// A note in the margin: one value of one field, or one held field.

import { beam } from "../frame/beam.js";

export function element(name, className = "", text = "") {
  const made = document.createElement(name);
  if (className) made.className = className;
  if (text) made.textContent = text;
  return made;
}

export function button(text, key, act) {
  const made = element("button", "btn btn-plain", text);
  made.type = "button";
  if (key) {
    made.append(" ", element("kbd", "", key));
  }
  made.addEventListener("click", (event) => {
    event.stopPropagation();
    act();
  });
  return made;
}

const saidHow = ({ origin }) => (["marked", "typed", "agreed", "recorded"].includes(origin) ? "labelled" : "settled");

function shortened(text) {
  return text.length > 60 ? `${text.slice(0, 60)}…` : text;
}

function head(field, value, threshold) {
  const line = element("div", "head");
  if (field.letter) line.append(element("kbd", "", field.letter));
  line.append(element("span", "name", field.name));
  if (value?.confidence != null) line.append(beam(value.confidence, threshold ?? 0.95));
  return line;
}

const LINE_LETTERS = 28; // what a line of a note has room for
export const LOUPE_WIDTH = 488; // pixels of the picture in a note
const LONG = 160; // letters above which a value is shown by its beginning and its count of words
const OWN_ORIGINS = ["model", "person", "plan", "marked", "typed", "agreed", "recorded", "review", "mended"];

function shownValue(note, value) {
  const said = element("div", "said");
  if (value.text.length > LONG) {
    const letters = note.classList.contains("active") ? 220 : 64;
    const pages = new Set([value.page, ...(value.more_places || []).map(([page]) => page)]).size;
    const count = `${value.text.split(/\s+/).length} words${pages > 1 ? `, on ${pages} pages` : ""}`;
    said.append(element("span", "value", `${value.text.slice(0, letters)}…`), element("span", "normal", count));
  } else {
    said.append(value.text ? element("span", "value", value.text) : element("span", "quiet", "nothing was found"));
    if (value.normal && value.normal !== value.text) said.append(element("span", "normal", `= ${value.normal}`));
  }
  note.append(said);
  if (value.origin && !OWN_ORIGINS.includes(value.origin))
    said.append(" ", element("span", "normal", `read by ${value.origin}`));
  if (value.text && !value.normal) note.append(element("div", "why", "cannot be read as its data type"));
}

// A table's first rows, to look at; one that is wider than the note is moved within it.
function smallTable(field, rows) {
  const holder = element("div", "cells-holder");
  const table = element("table", "cells");
  const names = element("tr");
  field.shape.columns.forEach(([, name]) => names.append(element("th", "", name)));
  table.append(names);
  rows.slice(0, 12).forEach((row) => {
    const line = element("tr");
    row.forEach((cell) => line.append(element("td", "mono", cell?.text || "")));
    table.append(line);
  });
  holder.append(table);
  return holder;
}

// What is said of a text's normal form: null can't be read, empty says that there is no value, the text itself nothing.
function normalWords(text, normal) {
  if (normal === null) return "cannot be read as its data type";
  if (!text || normal === text) return "";
  return normal ? `= ${normal}` : "not on this paper";
}

// A box of several lines that grows with what stands in it.
function growing() {
  const input = element("textarea");
  const grow = () => {
    input.style.height = "auto";
    input.style.height = `${input.scrollHeight + 2}px`;
  };
  input.rows = 1;
  input.addEventListener("input", grow);
  input.grow = grow;
  return input;
}

// An input for the value with its normal form as it is typed. done(text) on Enter, left() on Escape. A long value gets a
// box that grows.
export function editor(text, normalOf, done, left) {
  const holder = element("div");
  const input = text.length > LINE_LETTERS ? growing() : element("input");
  const said = element("div", "normal");
  input.value = text;
  input.setAttribute("aria-label", "Value");
  let asked = 0;
  const look = async () => {
    const mine = (asked += 1);
    const normal = input.value.trim() ? await normalOf(input.value) : "";
    if (mine === asked) said.textContent = normalWords(input.value.trim(), normal);
  };
  input.addEventListener("input", look);
  input.addEventListener("keydown", (event) => {
    if (event.key === "Enter" && input.value.trim()) {
      event.preventDefault();
      event.stopPropagation();
      done(input.value.trim());
    }
    if (event.key === "Escape") {
      event.preventDefault();
      event.stopPropagation();
      left();
    }
  });
  input.addEventListener("click", (event) => event.stopPropagation());
  holder.append(input, said);
  look();
  holder.focusInput = () => {
    input.focus();
    input.grow?.();
    if (input.grow)
      input.setSelectionRange(text.length, text.length); // a slip of a key must not take it all away
    else input.select();
  };
  return holder;
}

export const CANDIDATES_MOST = 9;

/**
 * Candidates to take, each with its key; `pointed` hears on which one the mouse or the keyboard rests (null: on none).
 */
export function candidateList(others, take, pointed = (/** @type {?number} */ _place) => {}) {
  const list = element("ol", "candidates");
  list.setAttribute("aria-label", "Other candidates");
  others.slice(0, CANDIDATES_MOST).forEach((other, index) => {
    const item = element("li");
    const pick = element("button");
    pick.type = "button";
    pick.append(element("kbd", "", String(index + 1)), element("span", "", other.text));
    pick.title = other.normal;
    pick.addEventListener("click", (event) => {
      event.stopPropagation();
      take(index);
    });
    for (const come of ["mouseenter", "focus"]) pick.addEventListener(come, () => pointed(index));
    for (const go of ["mouseleave", "blur"]) pick.addEventListener(go, () => pointed(null));
    item.append(pick);
    list.append(item);
  });
  return list;
}

// state: {active, ghost, open, loupe}: open shows reason, candidates and buttons; loupe is the picture's height, or 0.
export function noteFor(field, value, state, acts) {
  const note = element(
    "article",
    `note${state.ghost ? " ghost" : ""}${state.active ? " active" : ""}${state.held ? " is-held" : ""}`,
  );
  note.dataset.field = field.key;
  note.append(head(field, value, field.threshold));
  if (state.loupe && value.box) {
    const canvas = element("canvas", "loupe");
    canvas.width = LOUPE_WIDTH;
    canvas.height = state.loupe;
    canvas.setAttribute("role", "img");
    canvas.setAttribute("aria-label", "The place on the paper");
    canvas.title = "Click, or press Space, to see it larger";
    canvas.addEventListener("click", (event) => {
      if (!state.active) return; // the first click opens the note
      event.stopPropagation();
      acts.closer();
    });
    note.append(canvas);
  }
  if (state.editing) {
    const box = editor(value.text, acts.normalOf, acts.typed, acts.left);
    note.append(box);
    note.focusInput = box.focusInput;
  } else shownValue(note, value);
  if (value.ocr_text && value.ocr_text !== value.text && value.origin !== "agreed")
    note.append(element("div", "normal", `OCR: “${shortened(value.ocr_text)}”`));
  if (field.failing && state.active) note.append(element("div", "why", field.failing));
  if (field.disputed) note.append(element("div", "why", "two people gave different answers"));
  if (state.grid && state.active) note.append(smallTable(field, state.grid));
  if (state.held && field.detail) note.append(element("div", "why", `${field.hold}: ${field.detail}`));
  if (acts.mends?.length) {
    const row = element("div", "acts mends");
    row.append(...acts.mends);
    note.append(row);
  }
  if (value.person) note.append(element("div", "normal", `${saidHow(value)} by ${value.person}`));
  if (state.active && !state.editing && acts.buttons.length) {
    const row = element("div", "acts");
    row.append(...acts.buttons);
    note.append(row);
  }
  if (state.active && state.open && field.others.length && !state.editing)
    note.append(candidateList(field.others, acts.candidate, acts.pointed));
  note.addEventListener("click", acts.chosen);
  return note;
}
