// What a person does with fields on the desk: taking words, accepting, typing, tables, undoing. Each answer is shown
// at once and sent in the background.

import { when } from "../frame/dates.js";
import { ask } from "../frame/dialogs.js";
import { call } from "../frame/server.js";
import { boxOfWord, union } from "./geometry.js";
import { joined, partsOfWord, valueOfWords, YES_OR_NO } from "./model.js";
import { button, element } from "./notes.js";

export class Marking {
  /** @param {import("./main.js").Desk} desk */
  constructor(desk) {
    this.desk = desk;
    this.paper = desk.paper;
    this.selection = desk.selection;
    this.view = desk.view;
    this.pages = desk.pages;
    /** @type {string | null} */
    this.lastTaken = null;
  }

  /** The field that a click or a key writes into: the one that is drawn as active. News that comes between a press and
   * its release picks another one only when it is drawn. */
  get active() {
    return this.view.drawn;
  }

  // ---- Words, boxes, paragraphs ----

  /** Something was clicked or swept on a page (see sweep.js). */
  async take(chosen) {
    if (this.selection.naming) {
      this.takeName(chosen);
      return;
    }
    const { rails } = this.view.dock;
    if (rails && chosen.box) {
      await rails.sweep(chosen.page, chosen.box);
      return;
    }
    const goesOn = chosen.extend && this.lastTaken;
    const field = this.active && (goesOn ? this.paper.field(this.lastTaken) : this.active);
    if (!field) this.view.tell("Choose a field first: click it or press its key.");
    else if (this.desk.helps?.active && (await this.desk.helps.chose(chosen))) return;
    else if (field.shape.kind === "derived") this.view.tell("This field is calculated from other fields.");
    else if (field.shape.kind === "table") await this.takeTable(chosen);
    else if (chosen.words?.length) this.takeWords(field, chosen);
    else if (chosen.words) {
      this.selection.free = { page: chosen.page, box: chosen.box };
      this.view.draw();
    }
  }

  async takeTable({ page, box }) {
    if (!box) {
      this.view.tell("Draw a box around the rows of the table, or press e to fill it in, cell by cell.");
      return;
    }
    this.edit();
    await this.view.dock.rails.sweep(page, box);
  }

  takeWords(field, { page, words, more = [], text, extend, add }) {
    this.selection.active = field.key;
    const mine = valueOfWords([{ page, words, text }, ...more], (number) => this.pages.element(number).page.words);
    const answered = this.paper.isAnswered(field);
    const last = field.values.at(-1);
    this.lastTaken = field.key;
    if (add && answered && last?.box) {
      this.put(field, [...field.values.slice(0, -1), joined(last, mine)], { method: "marked", stay: true });
      return;
    }
    const before = field.many && !extend && answered ? field.values : [];
    this.put(field, [...before, mine], { method: "marked", stay: field.many });
  }

  // ---- Accepting, typing, clearing ----

  agree() {
    const { paper, active: field } = this;
    if (!field) return;
    const { values, ghost } = paper.standing(field);
    const rows = paper.rowsOf(field);
    if (field.shape.kind === "table" && paper.isOpen(field) && rows.length) this.putRows(field, rows, "agreed");
    else if (paper.mode === "label" && ghost && values.length) this.put(field, values, { method: "agreed" });
    else if (paper.mode === "review" && field.hold && values.length) this.put(field, values, {});
    else if (paper.absenceIsLikely(field)) this.absent();
    else if (paper.mode === "review" && field.hold)
      this.view.tell(
        "There is nothing to accept: mark the value on the page, type it, or press . if it is not on this paper.",
      );
    else this.desk.next();
  }

  /** All suggestions whose measured confidence passes its threshold; or simply all. */
  agreeAll(passing) {
    const suggested = this.paper.suggested();
    const fields = passing ? suggested.passing : suggested.all;
    const none = "There is no suggestion to accept.";
    if (!fields.length)
      this.view.tell(passing ? "No suggestion passes its threshold: accept them one by one with Enter." : none);
    for (const field of fields) {
      if (field.shape.kind === "table") this.putRows(field, field.suggested_rows, "agreed");
      else this.put(field, field.suggestion, { method: "agreed" });
    }
  }

  candidate(place) {
    const other = this.active?.others?.[place];
    if (other) this.put(this.active, [other], { method: "marked" });
  }

  /** A candidate of any field that makes a check true. */
  mend(key, place) {
    const field = this.paper.field(key);
    const other = field?.others[place];
    if (other) this.put(field, [other], { method: "marked" });
  }

  /** What was typed for a field: for that one, whichever is active by now. */
  typed(field, text, value) {
    this.view.dock.blur();
    const rest = field.many ? this.paper.standing(field).values.slice(1) : [];
    const { page = null, box = null, more_places = [] } = value || {};
    this.put(field, [{ text, normal: text, page, box, more_places }, ...rest], { method: box ? "marked" : "typed" });
  }

  /** The key `n` says no to an open tick box or signature; of an answered one it goes on, as it does everywhere. */
  refuse() {
    return Boolean(this.active && this.paper.isOpen(this.active)) && this.answer("no");
  }

  /** A tick box or signature is answered by a key; whether the active field is one. */
  answer(text) {
    const field = this.active;
    if (!field || !YES_OR_NO.includes(field.data_type)) return false;
    const { page = null, box = null } = this.paper.standing(field).values[0] || {};
    this.put(field, [{ text, normal: text, page, box }], { method: box ? "marked" : "typed" });
    return true;
  }

  absent() {
    const field = this.active;
    if (!field || field.shape.kind === "derived") return;
    if (field.shape.kind === "table") this.putRows(field, [], "marked");
    else this.put(field, [], { absent: true, method: "marked" });
  }

  clear() {
    const field = this.active;
    if (!field) return;
    if (this.paper.mode === "review") {
      if (field.hold) this.absent();
    } else if (field.decided) {
      field.rows = [];
      this.put(field, [], { method: "marked", stay: true });
    }
  }

  edit() {
    if (!this.selection.active) return;
    this.selection.editing = true;
    this.view.draw();
  }

  stopEditing() {
    Object.assign(this.selection, { editing: false, free: null });
    this.view.draw();
  }

  // ---- Keeping an answer ----

  put(field, values, { absent = false, method = "marked", stay = false, printed = null }) {
    const before = this.paper.snapshot(field);
    const open = this.paper.nextOpen(field.key);
    this.paper.setValues(field, values, { absent, method });
    this.selection.free = null;
    if (!stay && open && open !== field.key) this.selection.active = open;
    else if (!stay && this.paper.mode === "review") this.selection.active = this.paper.nextOpen(field.key);
    this.pages.hideCursor();
    const body = { ...this.paper.valuesBody(values, { absent, method }), ...(printed ? { printed } : {}) };
    return this.keep(field, before, body, method);
  }

  putRows(field, rows, method) {
    const before = this.paper.snapshot(field);
    const open = this.paper.nextOpen(field.key);
    const filled = rows.filter((row) => row.some((cell) => cell?.text.trim()));
    this.paper.setRows(field, filled);
    if (open && open !== field.key) this.selection.active = open;
    return this.keep(field, before, this.paper.rowsBody(field, filled, method), method);
  }

  keep(field, before, body, method) {
    this.selection.editing = false;
    this.paper.remember(field, before);
    this.keepTrail();
    this.view.draw();
    const { active } = this.selection;
    if (active && (active !== field.key || field.shape.kind === "table")) this.view.show(active);
    const timing = this.paper.timing(field, before, method, this.desk.secondsSince());
    return this.desk.saver.put(field.key, { ...body, ...timing });
  }

  /** In review what can be undone outlives the page. */
  keepTrail() {
    if (this.paper.mode === "review") this.desk.trail.keep(this.desk.id, this.paper.undoable);
  }

  /** Undo the last answer; in review also one on the paper before, which is opened for it. */
  async undo() {
    const { trail, id, saver } = this.desk;
    const before = this.paper.mode === "review" && !this.paper.undoable.length ? trail.before(id) : null;
    if (before) {
      await saver.run();
      trail.ask(before);
      location.href = `/review/${before}`;
      return;
    }
    this.step(this.paper.undo(), "There is nothing to undo.");
  }

  redo() {
    this.step(this.paper.redo(), "There is nothing to redo.");
  }

  step(done, nothing) {
    if (!done) {
      this.view.tell(nothing);
      return;
    }
    this.keepTrail();
    Object.assign(this.selection, { active: done.key, editing: false });
    this.view.draw();
    this.view.show(done.key);
    this.desk.saver.put(done.key, done.body);
  }

  // ---- Checks ----

  /** The failing checks that hold a field stand so on the paper: with a reason, by who may say so. */
  async letStand(field) {
    const reason = await this.reason("Why does it stand so on the paper?", "Let it stand");
    if (!reason) return;
    await this.desk.saver.run();
    for (const check of [...field.blocking]) {
      const path = `/api/v1/documents/${this.desk.id}/checks/${check}/let-stand`;
      try {
        const answer = await call("POST", path, { reason, revision: this.paper.data.revision });
        await this.desk.saved({ key: field.key, body: {} }, answer);
      } catch (error) {
        this.view.banner(`${field.name}: ${error.message}`, "blocks", field.key);
        return;
      }
    }
  }

  /** All checks that fail and may be accepted as they are stand so, with one reason. */
  async letAllStand() {
    const reason = await this.reason("Why do they stand so on the paper?", "Let them stand");
    if (!reason) return;
    await this.desk.saver.run();
    const field = this.active;
    try {
      const path = `/api/v1/documents/${this.desk.id}/checks/let-stand`;
      const answer = await call("POST", path, { reason, revision: this.paper.data.revision });
      await this.desk.saved({ key: field.key, body: {} }, answer);
    } catch (error) {
      this.view.banner(error.message, "blocks", field.key);
    }
  }

  reason(title, verb) {
    return ask({ title, verb, input: "", placeholder: "such as: the sum is printed wrong" });
  }

  // ---- What more a note offers ----

  moreButtons(field, value, ghost) {
    if (ghost) return [];
    const made = [];
    if (field.shape.kind === "value" && value.box) {
      made.push(button("Read again here", "", () => this.offerHere(field, value)));
      if (this.paper.mode === "label") made.push(button("Its printed name", "", () => this.askName(field)));
      for (const part of partsOfWord(value.text))
        made.push(button(`Only “${part}”`, "", () => this.typed(field, part, value)));
    }
    made.push(button("History", "", () => this.history(field)));
    return made;
  }

  askName(field) {
    this.selection.naming = field.key;
    this.view.tell(`Click the printed name of ${field.name}.`);
  }

  takeName({ page, words, box }) {
    const field = this.paper.field(this.selection.naming);
    this.selection.naming = null;
    const taken = (words || []).map((index) => this.pages.element(page).page.words[index]);
    if (!taken.length) {
      this.view.tell("There are no words here.");
      return;
    }
    const text = taken.map((word) => word[0]).join(" ");
    const printed = { text, page, box: box || union(taken.map(boxOfWord)) };
    this.put(field, field.values, { method: field.method || "marked", stay: true, printed });
    this.view.tell(`“${text}” is saved as the printed name of ${field.name}; the next training learns it.`);
  }

  async readHere(field, page, box, offers) {
    const say = (text, kind) => offers.replaceChildren(element("span", `${kind} small`, text));
    say("Reading in three ways…", "quiet");
    const path = `/api/v1/documents/${this.desk.id}/labels/${field.key}/read-here`;
    let found;
    try {
      found = await call("POST", path, { page, box });
    } catch (error) {
      say(error.message, "held");
      return;
    }
    if (!found.length) say("Nothing can be read here; type the value.", "held");
    else
      offers.replaceChildren(
        ...found.map((reading) => {
          const text = reading.normal ? reading.text : `${reading.text} (no ${field.data_type})`;
          const made = button(text, "", () => this.typed(field, reading.text, { page, box }));
          made.title = reading.method;
          return made;
        }),
      );
  }

  offerHere(field, value) {
    this.selection.free = { page: value.page, box: value.box };
    this.view.draw();
    this.readHere(field, value.page, value.box, this.view.dock.offersFor(this.selection.free));
  }

  async history(field) {
    const changes = await call("GET", `/api/v1/documents/${this.desk.id}/labels/${field.key}/history`).catch(() => []);
    const lines = changes.map(({ created_at, who, method, before, after }) => {
      return `${when(new Date(created_at))} · ${who} (${method}): ${after || "cleared"}${before ? `, before: ${before}` : ""}`;
    });
    const banner = this.view.banner(`${field.name}: `, "plain", "history");
    banner.firstElementChild.append(
      ...(lines.length ? lines : ["no answer yet"]).map((line) => element("div", "small", line)),
    );
  }
}
