// What a person does on the labelling and reviewing desks: taking words, agreeing, typing, tables, undoing.

import { call } from "../server.js";
import { Rails } from "./rails.js";
import { button, element } from "./notes.js";

const SECONDS_MAX = 120;

export const marking = {
  // Something was clicked or swept on a page (see sweep.js).
  async take(chosen) {
    if (this.naming) { this.nameTaken(chosen); return; }
    const field = this.active && this.field(chosen.extend && this.lastTaken && this.mode === "label" ? this.lastTaken : this.active);
    if (this.rails && chosen.box) { await this.rails.sweep(chosen.page, chosen.box); return; }
    if (!field) { this.tell("Pick a field first: its note, its chip or its key."); return; }
    if (this.helps?.active && (await this.helps.chose(chosen))) return;
    if (field.shape.kind === "derived") { this.tell("This field is worked out from others."); return; }
    if (field.shape.kind === "table") {
      if (this.mode !== "label" || !chosen.box) { this.tell("A table is filled in with e, cell by cell."); return; }
      this.edit();
      await this.rails.sweep(chosen.page, chosen.box);
      return;
    }
    if (chosen.words && !chosen.words.length) { this.free = { page: chosen.page, box: chosen.box }; this.draw(); return; }
    if (!chosen.words) return;
    this.active = field.key;
    this.takeWords(field, chosen);
  },

  takeWords(field, { page, words, more = [], text, extend, add }) {
    const place = (number, indices) => {
      const boxes = indices.map((index) => this.pages.element(number).page.words[index]);
      return { said: boxes.map((one) => one[0]).join(" "), box: [Math.min(...boxes.map((w) => w[1])), Math.min(...boxes.map((w) => w[2])), Math.max(...boxes.map((w) => w[3])), Math.max(...boxes.map((w) => w[4]))] };
    };
    const first = place(page, words);
    const rest = more.map((one) => ({ page: one.page, words: one.words, ...place(one.page, one.words) }));
    const said = text ?? [first.said, ...rest.map((one) => one.said)].join(" ");
    const mine = { text: said, normal: said, page, box: first.box, words, part: text !== undefined, more: rest.map((one) => [one.page, one.box]), spots: rest.map((one) => ({ page: one.page, words: one.words })) };
    const last = field.values.at(-1);
    this.lastTaken = field.key;
    if (add && field.decided && last?.box && this.mode === "label") { this.put(field, [...field.values.slice(0, -1), joined(last, mine)], { how: "marked", stay: true }); return; }
    const before = field.many && !extend && this.mode === "label" && field.decided ? field.values : [];
    this.put(field, [...before, mine], { how: "marked", stay: field.many });
  },

  // ---- Tables ----

  openRails(field, grid) {
    if (this.mode !== "label") return;
    this.pages.mode = "table";
    this.rails = new Rails(this.pages, field, {
      tell: (text) => this.tell(text),
      changed: (rows) => { grid.setRows(rows.filter((row) => row.some(Boolean))); grid.setBar(this.rails.any ? this.rails.bar() : element("span")); },
    });
  },

  // Keep a table's rows: shown at once, sent in the background.
  putRows(field, rows, how) {
    const before = this.snapshot(field);
    const open = this.nextOpen(field.key);
    const filled = rows.filter((row) => row.some((cell) => cell?.text.trim()));
    this.setRows(field, filled);
    this.editing = false;
    if (open && open !== field.key) this.active = open;
    this.remember(field, before);
    this.draw();
    if (this.active) this.show(this.active);
    return this.saver.put(field.key, { ...this.rowsBody(field, filled, how), ...this.timing(field, before, how) });
  },

  setRows(field, filled) {
    field.rows = filled;
    const placed = filled.flat().filter((cell) => cell?.box);
    const page = placed.length ? Math.min(...placed.map((cell) => cell.page)) : null;
    const here = placed.filter((cell) => cell.page === page).map((cell) => cell.box);
    const box = here.length ? [Math.min(...here.map((b) => b[0])), Math.min(...here.map((b) => b[1])), Math.max(...here.map((b) => b[2])), Math.max(...here.map((b) => b[3]))] : null;
    const said = `${filled.length} ${filled.length === 1 ? "row" : "rows"}`;
    field.values = filled.length ? [{ text: said, normal: said, page, box, confidence: null, person: null }] : [];
    if (this.mode === "label") { field.decided = true; field.absent = !filled.length; }
    field.hold = null;
  },

  rowsBody(field, filled, how) {
    const keys = field.shape.columns.map(([key]) => key);
    const body = { how, rows: filled.map((row) => Object.fromEntries(keys.map((key, at) => [key, { text: row[at]?.text || "", page: row[at]?.page ?? null, box: row[at]?.box ?? null }]))) };
    if (this.mode === "review") delete body.how;
    return body;
  },

  // ---- Agreeing, typing, clearing ----

  agree() {
    const field = this.active && this.field(this.active);
    if (!field) return false;
    if (field.shape.kind === "table" && this.isOpen(field)) {
      if (this.rowsOf(field).length) this.putRows(field, this.rowsOf(field), "agreed");
      else this.absent();
      return true;
    }
    const { values, ghost } = this.standing(field);
    if (this.mode === "label" && ghost && values.length) this.put(field, values, { how: "agreed" });
    else if (this.mode === "review" && field.hold && values.length) this.put(field, values, {});
    else if (this.mode === "review" && field.hold === "low confidence") this.absent();
    else if (this.mode === "review" && field.hold) this.tell("There is no value to agree to: click its words, type it, or say that it is not on the paper.");
    else this.next();
    return true;
  },

  // All suggestions whose measured confidence passes its threshold; or simply all.
  agreeAll(passing) {
    const wanted = this.paper.fields.filter((one) => !one.decided && one.suggestion.length && (!passing || one.passes));
    if (!wanted.length) { this.tell(passing ? "No suggestion passes its threshold: agree to each with Enter." : "There is nothing to agree to."); return; }
    for (const field of wanted) {
      if (field.shape.kind === "table") this.putRows(field, field.suggested_rows, "agreed");
      else this.put(field, field.suggestion, { how: "agreed" });
    }
  },

  candidate(place) {
    const field = this.active && this.field(this.active);
    const other = field?.others?.[place];
    if (other) this.put(field, [other], { how: "marked" });
  },

  typed(text, value) {
    const field = this.field(this.active);
    if (this.dock.contains(document.activeElement)) document.activeElement.blur();
    this.editing = false;
    this.free = null;
    const rest = field.many ? this.standing(field).values.slice(1) : [];
    this.put(field, [{ text, normal: text, page: value?.page ?? null, box: value?.box ?? null, more: value?.more || [] }, ...rest], { how: value?.box ? "marked" : "typed" });
  },

  absent() {
    const field = this.active && this.field(this.active);
    if (!field || field.shape.kind === "derived") return;
    if (field.shape.kind === "table") this.putRows(field, [], "marked");
    else this.put(field, [], { absent: true, how: "marked" });
  },

  clear() {
    const field = this.active && this.field(this.active);
    if (!field) return;
    if (this.mode === "review") { if (field.hold) this.absent(); return; }
    if (field.decided) { field.rows = []; this.put(field, [], { how: "marked", stay: true }); }
  },

  edit() {
    if (!this.active) return;
    this.editing = true;
    this.draw();
  },

  // Keep a field's values: shown at once, sent in the background.
  put(field, values, { absent = false, how = "marked", stay = false, printed = null }) {
    const before = this.snapshot(field);
    const open = this.nextOpen(field.key);
    this.set(field, values, absent, how);
    this.editing = false;
    this.free = null;
    if (!stay && open && open !== field.key) this.active = open;
    else if (!stay && this.mode === "review") this.active = this.nextOpen(field.key);
    this.pages.hideCursor();
    this.remember(field, before);
    this.draw();
    if (this.active && this.active !== field.key) this.show(this.active);
    const body = { ...this.valuesBody(values, absent, how), ...this.timing(field, before, how), ...(printed ? { printed } : {}) };
    return this.saver.put(field.key, body);
  },

  set(field, values, absent, how) {
    field.values = values.map((value) => ({ person: null, ...value, confidence: null }));
    if (this.mode === "label") { field.decided = absent || values.length > 0; field.absent = absent; field.how = how; }
    field.hold = null;
  },

  valuesBody(values, absent, how) {
    const body = { absent, how, values: values.map((value) => ({
      text: value.text, page: value.page ?? null, words: value.words || [], box: value.words ? null : value.box ?? null,
      more: value.spots || (value.more || []).map(([page, box]) => ({ page, box })),
    })) };
    if (this.mode === "review") delete body.how;
    return body;
  },

  // How long it took, and whether a suggestion stood there and was not taken.
  timing(field, before, how) {
    if (this.mode !== "label") return {};
    const seconds = Math.min(SECONDS_MAX, (performance.now() - this.since) / 1000);
    this.since = performance.now();
    return { seconds: Math.round(seconds * 100) / 100, corrected: how !== "agreed" && !before.decided && field.suggestion?.length > 0 };
  },

  // ---- Undo and redo ----

  snapshot(field) {
    return { key: field.key, decided: field.decided, absent: field.absent, how: field.how, values: field.values, rows: field.rows };
  },

  remember(field, before) {
    if (this.mode !== "label") return;
    this.undoable.push({ before, after: this.snapshot(field) });
    this.redoable = [];
  },

  undo() {
    const step = this.undoable.pop();
    if (!step) { this.tell("There is nothing to undo."); return; }
    this.redoable.push(step);
    this.restore(step.before);
  },

  redo() {
    const step = this.redoable.pop();
    if (!step) { this.tell("There is nothing to do again."); return; }
    this.undoable.push(step);
    this.restore(step.after);
  },

  restore(state) {
    const field = this.field(state.key);
    this.active = state.key;
    this.editing = false;
    const how = ["marked", "typed", "agreed", "keyed"].includes(state.how) ? state.how : "marked";
    Object.assign(field, { decided: state.decided, absent: state.absent, how: state.how, values: state.values, rows: state.rows });
    this.draw();
    this.show(state.key);
    const body = field.shape.kind === "table" && state.decided ? this.rowsBody(field, state.rows || [], how) : this.valuesBody(state.decided ? state.values : [], state.decided && state.absent, how);
    this.saver.put(state.key, body);
  },

  // ---- Helps of one note ----

  moreActs(field, value, ghost) {
    const acts = [];
    if (field.shape.kind === "value" && value.box && !ghost) {
      acts.push(button("Read again here", "", () => this.offerHere(field, value)));
      acts.push(button("Its printed name", "", () => { this.naming = field.key; this.tell(`Click or sweep the printed name of ${field.name}.`); }));
    }
    const glued = field.shape.kind === "value" && value.box && !ghost ? withoutLead(value.text) : "";
    if (glued) acts.push(button(`Only “${glued}”`, "", () => this.typed(glued, value)));
    if (!ghost) acts.push(button("History", "", () => this.history(field)));
    return acts;
  },

  nameTaken({ page, words, box }) {
    const field = this.field(this.naming);
    this.naming = null;
    const its = (words || []).map((index) => this.pages.element(page).page.words[index]);
    if (!its.length) { this.tell("No words stand there."); return; }
    const around = box || [Math.min(...its.map((w) => w[1])), Math.min(...its.map((w) => w[2])), Math.max(...its.map((w) => w[3])), Math.max(...its.map((w) => w[4]))];
    const text = its.map((word) => word[0]).join(" ");
    this.put(field, field.values, { how: field.how || "marked", stay: true, printed: { text, page, box: around } });
    this.tell(`“${text}” is kept as the printed name of ${field.name} here; the next training learns it.`);
  },

  async readHere(field, page, box, offers) {
    offers.replaceChildren(element("span", "quiet small", "Reading in three ways…"));
    let found = [];
    try {
      found = await call("POST", `/api/v1/documents/${this.id}/labels/${field.key}/read-here`, { page, box });
    } catch (error) { offers.replaceChildren(element("span", "held small", error.message)); return; }
    if (!found.length) { offers.replaceChildren(element("span", "held small", "Nothing can be read there; type it.")); return; }
    offers.replaceChildren(...found.map((one) => {
      const made = button(one.normal ? `${one.text}` : `${one.text} (no ${field.data_type})`, "", () => this.typed(one.text, { page, box }));
      made.title = one.how;
      return made;
    }));
  },

  offerHere(field, value) {
    this.free = { page: value.page, box: value.box };
    this.draw();
    const offers = this.dock.querySelector(".offers");
    if (offers) this.readHere(field, value.page, value.box, offers);
  },

  async history(field) {
    const said = await call("GET", `/api/v1/documents/${this.id}/labels/${field.key}/history`).catch(() => []);
    const lines = said.map((one) => `${new Date(one.at).toLocaleString([], { dateStyle: "short", timeStyle: "short" })} · ${one.who} (${one.how}): ${one.after || "cleared"}${one.before ? `, before: ${one.before}` : ""}`);
    const banner = this.banner(`${field.name}: `, "plain", "history");
    banner.firstChild.append(...(lines.length ? lines : ["nothing was said yet"]).map((line) => element("div", "small", line)));
  },
};

function joined(value, more) {
  const spots = value.words ? [...(value.spots || []), { page: more.page, words: more.words }] : [...(value.more || []).map(([page, box]) => ({ page, box })), { page: more.page, words: more.words }, ...(more.spots || [])];
  return { ...value, text: `${value.text} ${more.text}`, normal: `${value.text} ${more.text}`, part: !value.words, more: [...(value.more || []), [more.page, more.box], ...(more.more || [])], spots };
}

// "No.4711" → "4711": what is left when a lead of letters and marks is taken off a word with digits.
function withoutLead(text) {
  const found = /^(?:[A-Za-z]{1,4}[.:#°]|[#№:])\s*(\S.*)$/.exec(text);
  return found && /\d/.test(found[1]) && !text.includes(" ") ? found[1] : "";
}
