// The desk: marginalia for labelling, reviewing and looking. One class keeps the paper's state and draws it.

import { call } from "../server.js";
import { setKeys } from "../keys.js";
import { ask, tell } from "../dialogs.js";
import { beam, svg } from "../beam.js";
import { Pages } from "./pages.js";
import { Saver } from "./saver.js";
import { balance, gutterUnder, sideOf, stack } from "./place.js";
import { gridEditor } from "./grid.js";
import { button, editor, element, noteFor } from "./notes.js";

const NOTE_WIDTH = 262;
const GUTTER = 34;
const RESERVED = new Set([..."egjknxGJ"]);
const PRESENCE_MS = 15000;

class Desk {
  constructor(root) {
    this.root = root;
    this.mode = root.dataset.mode;
    this.id = root.dataset.document;
    this.type = root.dataset.type;
    this.scroll = root.querySelector(".desk-scroll");
    this.plane = root.querySelector(".desk-plane");
    this.leaders = root.querySelector(".leaders");
    this.dock = root.querySelector(".dock");
    this.status = root.querySelector("[data-status]");
    this.zoom = Number(sessionStorage.getItem("jugum-zoom")) || 1;
    this.active = null;
    this.editing = false;
    this.pages = new Pages(root.querySelector(".desk-pages"), this.scroll, this.id, { taken: (words) => this.take(words), can: () => this.mode !== "look" });
  }

  get path() {
    return this.mode === "label" ? `/api/v1/documents/${this.id}/label-desk` : `/api/v1/documents/${this.id}/review-desk${this.mode === "look" ? "?look=true" : ""}`;
  }

  async open() {
    try {
      this.accept(await call("GET", this.path));
    } catch (error) {
      this.banner(error.message, "blocks");
      this.tell("");
      return;
    }
    this.pages.load(this.paper.pages);
    this.saver = new Saver({
      name: `jugum-${this.mode}-${this.id}`,
      path: (key) => `/api/v1/documents/${this.id}/${this.mode === "label" ? "labels" : "review"}/${key}`,
      revision: () => this.paper.revision,
      told: (text, kind) => this.tell(text, kind),
      saved: (item, answer) => this.saved(item, answer),
      conflict: (item, error) => this.conflict(item, error),
      refused: (item, error) => this.refused(item, error),
    });
    if (this.saver.waiting.length) { this.banner("Entries of yours that had not reached the server are being sent now."); this.saver.run(); }
    this.listen();
    this.active = this.root.dataset.focus || (this.mode === "look" ? null : this.nextOpen(null));
    this.draw();
    if (this.active) this.show(this.active);
    if (this.status.textContent.startsWith("Opening")) this.tell("");
    if (this.mode !== "look") setInterval(() => this.presence(), PRESENCE_MS);
    this.root.dataset.ready = "yes";
  }

  accept(paper) {
    this.paper = paper;
    const letters = new Set(RESERVED);
    for (const field of paper.fields) {
      if (this.mode !== "label") continue;
      const options = [...field.name.toLowerCase().replace(/[^a-z]/g, ""), ..."abcdfhilmopqrstuvwyz", ..."ABCDEFHILMOPQRSTUVWYZ"];
      field.letter = options.find((letter) => !letters.has(letter)) || "";
      letters.add(field.letter);
    }
    if (paper.others.length) this.banner(`${paper.others[0].name} has this paper open. What both of you change is told, nothing is overwritten unseen.`, "held", "others");
    this.titles();
  }

  titles() {
    const open = this.paper.fields.filter((field) => this.isOpen(field)).length;
    const title = this.root.querySelector("[data-title]");
    const left = this.paper.left;
    if (this.mode === "label") title.textContent = `${this.paper.name}: ${this.paper.state === "labelled" ? "labelled" : open ? `${open} of ${this.paper.fields.length} fields to mark` : "every field is marked"}${left ? `, ${left} more to label` : ""}`;
    else if (this.mode === "review") title.textContent = `${this.paper.name}: ${open ? `${open} ${open === 1 ? "field waits" : "fields wait"}` : this.paper.state}${left ? `, ${left} more held` : ""}`;
    else title.textContent = `${this.paper.name}: ${this.paper.state}${this.paper.version ? `, read by version ${this.paper.version}` : ""}`;
    const agree = this.root.querySelector('[data-act="agree-all"]');
    if (agree) {
      const ghosts = this.paper.fields.filter((field) => !field.decided && field.suggestion.length).length;
      agree.hidden = !ghosts;
      agree.textContent = `Agree to all ${ghosts}`;
    }
  }

  field(key) { return this.paper.fields.find((field) => field.key === key); }
  isOpen(field) { return this.mode === "label" ? !field.decided : Boolean(field.hold); }

  // A table's cells as they stand: rows of values or nulls.
  rowsOf(field) { return this.mode === "label" && !field.decided ? field.suggested_rows : field.rows; }

  // What stands for a field now: its values, whether they are only suggested.
  standing(field) {
    if (this.mode === "label" && !field.decided) return { values: field.suggestion, ghost: true };
    return { values: field.values, ghost: false };
  }

  nextOpen(after) {
    const fields = this.paper.fields;
    const from = after ? fields.findIndex((field) => field.key === after) + 1 : 0;
    const ordered = [...fields.slice(from), ...fields.slice(0, from)];
    return ordered.find((field) => this.isOpen(field))?.key || null;
  }

  // ---- Drawing ----

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
    const height = this.pages.layout(width);
    this.plane.style.width = `${planeWidth}px`;
    this.width = width;
    this.notes(height, planeWidth);
    this.drawDock();
    this.titles();
    this.root.querySelector("[data-zoom]").textContent = `${Math.round(this.zoom * 100)} %`;
    this.scroll.scrollTop = scroll;
  }

  notes(pagesHeight, planeWidth) {
    this.plane.querySelectorAll(".note").forEach((note) => note.remove());
    const placed = [];
    for (const field of this.paper.fields) {
      const { values, ghost } = this.standing(field);
      values.forEach((value, index) => {
        if (!value.box) return;
        const page = this.pages.element(value.page).page;
        const side = sideOf(value.box, page.words);
        const at = this.pages.pixels(value.page, value.box);
        placed.push({ field, value, ghost, index, side, at, wish: at.y0 });
      });
    }
    placed.sort((a, b) => a.at.y0 - b.at.y0 || a.at.x0 - b.at.x0);
    for (const one of placed) {
      one.note = this.note(one);
      this.plane.append(one.note);
      one.height = one.note.offsetHeight;
    }
    balance(placed);
    let bottom = pagesHeight + 40;
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
    this.leaders.setAttribute("viewBox", `0 0 ${planeWidth} ${bottom}`);
    this.leaders.style.height = `${bottom}px`;
    this.leaders.replaceChildren(...placed.map((one) => this.leader(one)));
    this.pages.outline(placed.map((one) => ({ page: one.value.page, box: one.value.box, kind: `${one.ghost ? "ghost" : ""} ${one.field.key === this.active ? "active" : ""}` })));
    this.plane.querySelector(".note.active")?.focusInput?.();
  }

  leader({ field, value, ghost, side, at, under, top }) {
    const page = this.pages.element(value.page);
    const y = this.pagesTop + page.top + under * page.height;
    const edge = side === "left" ? this.left : this.left + this.width;
    const noteEdge = side === "left" ? this.left - GUTTER : this.left + this.width + GUTTER;
    const [near, far] = side === "left" ? [at.x0, at.x1] : [at.x1, at.x0];
    return svg("path", { class: `${ghost ? "ghost" : ""} ${field.key === this.active ? "active" : ""}`, d: `M${noteEdge} ${top + 14}L${edge} ${y}H${this.left + near}H${this.left + far}` });
  }

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
    }
    return noteFor(field, value, { active, ghost, held, grid: field.shape.kind === "table" ? this.rowsOf(field) : null, editing: active && this.editing && index === 0 && field.shape.kind !== "table", loupe: held || (active && this.mode === "look"), open: this.mode === "review" || (this.mode === "label" && ghost) }, {
      buttons,
      candidate: (place) => this.candidate(place),
      chosen: () => { if (!this.editing || !active) this.pick(field.key); },
      normalOf: (text) => this.normal(field, text),
      typed: (text) => this.typed(text, value),
      left: () => { this.editing = false; this.draw(); },
    });
  }

  drawDock() {
    const chips = this.paper.fields.filter((field) => !this.standing(field).values.some((value) => value.box)).map((field) => this.chip(field));
    const active = this.active && this.field(this.active);
    if (active && this.editing && active.shape.kind === "table") { this.drawGrid(active); return; }
    const parts = [];
    const lead = this.mode === "label" ? (chips.length ? "To mark:" : "Every field has its place.") : this.mode === "review" ? (chips.length ? "Without a place:" : "") : (chips.length ? "Not on this paper:" : "");
    parts.push(element("span", "lead", lead), ...chips);
    if (active && this.mode !== "look" && !this.standing(active).values.some((value) => value.box)) parts.push(this.entry(active));
    this.dock.replaceChildren(...parts);
    if (this.editing) this.dock.querySelector(".entry input")?.focus();
  }

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
    chip.addEventListener("click", () => this.pick(field.key));
    return chip;
  }

  // A table's rows to fill in, in the dock; the paper stays in sight.
  drawGrid(field) {
    const grid = gridEditor(field, this.rowsOf(field), {
      save: (rows) => this.putRows(field, rows, "typed"),
      left: () => { this.editing = false; this.draw(); },
    });
    this.dock.replaceChildren(grid);
    grid.focusInput();
  }

  // For a field without a place: what to do, typing, "not on this paper", candidates.
  entry(field) {
    const holder = element("span", "entry");
    if (field.shape.kind === "derived") { holder.append(element("span", "quiet small", "worked out from other fields: mend those")); return holder; }
    if (field.shape.kind === "table") { holder.append(element("span", "quiet small", "No rows were found."), button("Fill in rows", "e", () => this.edit()), button("Not on this paper", ".", () => this.absent())); return holder; }
    for (const option of field.shape.options) { const made = button(option, "", () => this.typed(option, this.standing(field).values[0])); holder.append(made); }
    const found = field.hold === "low confidence" ? `“Not on this paper” is ${Math.round((field.confidence || 0) * 100)} % sure. Agree, click its words, or` : `Click or sweep the words of ${field.name}, or`;
    holder.append(element("span", "quiet small", found));
    const box = editor(this.standing(field).values[0]?.text || "", (text) => this.normal(field, text), (text) => this.typed(text, null), () => { this.editing = false; this.root.focus(); document.activeElement.blur(); });
    box.querySelector("input").className = "form-control";
    box.querySelector("input").placeholder = "type the value, Enter";
    holder.append(box, button(field.hold === "low confidence" ? "Agree: not on it" : "Not on this paper", field.hold === "low confidence" ? "Enter" : ".", () => this.absent()));
    const others = field.others || [];
    others.slice(0, 4).forEach((other, index) => {
      const made = button(other.text, "", () => this.candidate(index));
      made.prepend(element("kbd", "", String(index + 1)), " ");
      holder.append(made);
    });
    return holder;
  }

  // ---- What a person does ----

  pick(key) {
    this.active = key;
    this.editing = false;
    this.draw();
    this.show(key);
  }

  show(key) {
    const value = this.standing(this.field(key)).values.find((one) => one.box);
    if (value) this.pages.reveal(value.page, value.box);
  }

  walk(by) {
    const keys = this.paper.fields.map((field) => field.key);
    const at = keys.indexOf(this.active);
    this.pick(keys[(at + by + keys.length) % keys.length]);
  }

  next() {
    const key = this.nextOpen(this.active);
    if (key) this.pick(key);
  }

  take({ page, words, extend }) {
    if (extend && this.mode === "label" && this.lastTaken) this.active = this.lastTaken;
    const field = this.active && this.field(this.active);
    if (field && ["table", "derived"].includes(field.shape.kind)) { this.tell(field.shape.kind === "table" ? "A table is filled in with e, cell by cell." : "This field is worked out from others."); return; }
    if (!field) { this.tell("Pick a field first: its note, its chip or its key."); return; }
    const list = this.paper.pages.find((one) => one.number === page).words;
    const text = words.map((index) => list[index][0]).join(" ");
    const boxes = words.map((index) => list[index]);
    const box = [Math.min(...boxes.map((w) => w[1])), Math.min(...boxes.map((w) => w[2])), Math.max(...boxes.map((w) => w[3])), Math.max(...boxes.map((w) => w[4]))];
    const mine = { text, normal: text, page, box, words };
    const before = field.many && !extend && this.mode === "label" && field.decided ? field.values : [];
    this.lastTaken = field.key;
    this.put(field, [...before, mine], { how: "marked", stay: field.many });
  }

  // Keep a table's rows: shown at once, sent in the background.
  putRows(field, rows, how) {
    const open = this.nextOpen(field.key);
    const filled = rows.filter((row) => row.some((cell) => cell?.text.trim()));
    field.rows = filled;
    const said = `${filled.length} ${filled.length === 1 ? "row" : "rows"}`;
    const first = this.standing(field).values[0];
    field.values = filled.length ? [{ text: said, normal: said, page: first?.page ?? null, box: first?.box ?? null, confidence: null, person: null }] : [];
    if (this.mode === "label") { field.decided = true; field.absent = !filled.length; }
    field.hold = null;
    this.editing = false;
    if (open && open !== field.key) this.active = open;
    this.draw();
    if (this.active) this.show(this.active);
    const keys = field.shape.columns.map(([key]) => key);
    const body = { how, rows: filled.map((row) => Object.fromEntries(keys.map((key, at) => [key, { text: row[at]?.text || "", page: row[at]?.page ?? null, box: row[at]?.box ?? null }]))) };
    if (this.mode === "review") delete body.how;
    return this.saver.put(field.key, body);
  }

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
  }

  candidate(place) {
    const field = this.active && this.field(this.active);
    const other = field?.others?.[place];
    if (other) this.put(field, [other], { how: "marked" });
  }

  typed(text, value) {
    const field = this.field(this.active);
    this.editing = false;
    const rest = field.many ? this.standing(field).values.slice(1) : [];
    this.put(field, [{ text, normal: text, page: value?.page ?? null, box: value?.box ?? null }, ...rest], { how: value?.box ? "marked" : "typed" });
  }

  absent() {
    const field = this.active && this.field(this.active);
    if (!field || field.shape.kind === "derived") return;
    if (field.shape.kind === "table") this.putRows(field, [], "marked");
    else this.put(field, [], { absent: true, how: "marked" });
  }

  clear() {
    const field = this.active && this.field(this.active);
    if (!field) return;
    if (this.mode === "review") { if (field.hold) this.absent(); return; }
    if (field.decided) { field.rows = []; this.put(field, [], { how: "marked", stay: true }); }
  }

  edit() {
    if (!this.active) return;
    this.editing = true;
    this.draw();
  }

  // Keep a field's values: shown at once, sent in the background.
  put(field, values, { absent = false, how = "marked", stay = false }) {
    const open = this.nextOpen(field.key);
    field.values = values.map((value) => ({ person: null, ...value, confidence: null }));
    if (this.mode === "label") { field.decided = absent || values.length > 0; field.absent = absent; }
    field.hold = null;
    this.editing = false;
    if (!stay && open && open !== field.key) this.active = open;
    else if (!stay && this.mode === "review") this.active = this.nextOpen(field.key);
    this.pages.hideCursor();
    this.draw();
    if (this.active && this.active !== field.key) this.show(this.active);
    const body = { absent, how, values: values.map((value) => ({ text: value.words && value.text === undefined ? null : value.text, page: value.page, words: value.words || [], box: value.words ? null : value.box })) };
    if (this.mode === "review") delete body.how;
    return this.saver.put(field.key, body);
  }

  async normal(field, text) {
    if (field.shape.kind === "table") return text;
    const found = await call("GET", `/api/v1/types/${this.type}/fields/${field.key}/normal-form?text=${encodeURIComponent(text)}`).catch(() => null);
    return found ? found.normal : "";
  }

  // ---- Saving ----

  async saved(item, answer) {
    this.paper.revision = answer.revision;
    this.tell(`Saved ${new Date().toLocaleTimeString([], { hour: "2-digit", minute: "2-digit", second: "2-digit" })}`);
    const field = this.field(item.key);
    if (this.mode === "label" && this.paper.state === "to label") this.paper.state = "in hand";
    if (field?.shape.kind !== "derived") for (const value of field?.values || []) value.normal = (await this.normal(field, value.text)) ?? "";
    if (this.mode === "review") this.held(answer.holds);
    if (this.mode === "review" && answer.state === "settled" && !this.saver.waiting.length) {
      this.paper.state = "settled";
      this.tell("Settled");
      location.href = answer.next ? `/review/${answer.next}` : `/types/${this.type}/review`;
      return;
    }
    this.redraw();
  }

  // What is held now, as the server says: a check that fails holds a field again, one that holds now lets it go.
  held(holds) {
    for (const field of this.paper.fields) {
      const now = holds[field.key];
      if (this.saver.waiting.some((item) => item.key === field.key)) continue;
      if (now && !field.hold) this.tell(`${field.name}: ${now[1]}`, "held");
      [field.hold, field.detail] = now || [null, ""];
    }
    if (!this.active || !this.isOpen(this.field(this.active))) this.active = this.nextOpen(this.active) || this.active;
  }

  // Draw again for news from the server, but never between a press and its release: the click would be lost.
  redraw() {
    if (this.editing) return;
    if (this.pressed) this.late = true;
    else this.draw();
  }

  async conflict(item, error) {
    const before = this.field(item.key)?.name;
    const mine = item.body.rows ? `${item.body.rows.length} rows` : item.body.absent ? "not on this paper" : item.body.values.map((value) => value.text).join("; ") || "cleared";
    this.accept(await call("GET", this.path).catch(() => this.paper));
    this.draw();
    const keep = button("Save mine all the same", "", () => { banner.remove(); this.saver.put(item.key, item.body); });
    const banner = this.banner(`${error.message} The paper was loaded again. Your ${before} (${mine}) was not saved.`, "blocks");
    banner.append(keep);
  }

  async refused(item, error) {
    this.banner(`${this.field(item.key)?.name}: ${error.message}`, "blocks");
    this.tell("Not saved");
    const fresh = await call("GET", this.path).catch(() => null);
    if (fresh) { this.accept(fresh); this.active = item.key; this.draw(); }
  }

  async presence() {
    const now = await call("POST", `/api/v1/documents/${this.id}/presence`).catch(() => null);
    if (!now) return;
    if (now.others.length) this.banner(`${now.others[0].name} has this paper open.`, "held", "others");
    if (now.revision !== this.paper.revision && !this.saver.waiting.length && !this.editing) { this.accept(await call("GET", this.path)); this.redraw(); this.tell("Changed by someone else; loaded again"); }
  }

  tell(text, kind = "") {
    this.status.textContent = text;
    this.status.className = `state ${kind}`;
  }

  banner(text, kind = "held", only = "") {
    const holder = this.root.querySelector("[data-banners]");
    if (only) holder.querySelector(`[data-only="${only}"]`)?.remove();
    const made = element("div", `desk-banner ${kind}`);
    made.dataset.only = only;
    made.setAttribute("role", "alert");
    made.append(element("span", "", text));
    const close = button("Close", "", () => made.remove());
    made.append(close);
    holder.append(made);
    return made;
  }

  // ---- Going on ----

  async done() {
    await this.saver.run();
    try {
      const { next } = await call("POST", `/api/v1/documents/${this.id}/labelled`);
      location.href = next ? `/label/${next}` : `/types/${this.type}/label`;
    } catch (error) { this.banner(error.message, "held", "done"); }
  }

  async agreeAll() {
    for (const field of this.paper.fields.filter((one) => !one.decided && one.suggestion.length)) {
      if (field.shape.kind === "table") this.putRows(field, field.suggested_rows, "agreed");
      else this.put(field, field.suggestion, { how: "agreed" });
    }
  }

  async go(to) {
    if (!to) { this.tell("There is no other paper that way."); return; }
    if (this.saver) await this.saver.run();
    location.href = `/${this.mode}/${to}`;
  }

  async aside() {
    const reason = await ask({ title: "Why can't this paper be used?", verb: "Set aside", input: "", placeholder: "such as: second page missing" });
    if (reason === null) return;
    await call("POST", `/api/v1/documents/${this.id}/set-aside`, { reason }).then(
      () => { location.href = this.paper.next ? `/${this.mode}/${this.paper.next}` : `/types/${this.type}/${this.mode}`; },
      (error) => tell("It was not set aside", error.message),
    );
  }

  async find() {
    const text = await ask({ title: "Find a word on the page", verb: "Find", input: "", placeholder: "its first letters" });
    if (text && !this.pages.find(text)) this.tell(`No word begins with “${text}”.`);
  }

  scale(by) {
    this.zoom = by ? Math.min(4, Math.max(0.5, this.zoom * by)) : 1;
    sessionStorage.setItem("jugum-zoom", this.zoom);
    this.draw();
  }

  leave() {
    if (this.pages.cursor) this.pages.hideCursor();
    else if (this.active) { this.active = null; this.draw(); }
    else location.href = `/types/${this.type}/${this.mode === "look" ? "deliver" : this.mode}`;
  }

  listen() {
    document.addEventListener("pointerdown", () => { this.pressed = true; }, true);
    document.addEventListener("pointerup", () => {
      this.pressed = false;
      if (this.late) setTimeout(() => { this.late = false; this.redraw(); });
    });
    const acts = { "zoom-in": () => this.scale(1.2), "zoom-out": () => this.scale(1 / 1.2), previous: () => this.go(this.paper.previous), next: () => this.go(this.paper.next), done: () => this.done(), aside: () => this.aside(), "agree-all": () => this.agreeAll() };
    this.root.querySelectorAll("[data-act]").forEach((one) => one.addEventListener("click", () => acts[one.dataset.act]()));
    new ResizeObserver(() => this.draw()).observe(this.scroll);
    const arrows = (event, name) => this.mode !== "look" && this.pages.move(event.key, name.startsWith("Shift+"));
    const keys = {
      j: () => this.walk(1), k: () => this.walk(-1), "[": () => this.go(this.paper.previous), "]": () => this.go(this.paper.next),
      "+": () => this.scale(1.2), "=": () => this.scale(1.2), "-": () => this.scale(1 / 1.2), 0: () => this.scale(0), Escape: () => this.leave(),
      ArrowLeft: arrows, ArrowRight: arrows, ArrowUp: arrows, ArrowDown: arrows, "Shift+ArrowLeft": arrows, "Shift+ArrowRight": arrows,
      any: (event) => this.anyKey(event),
    };
    if (this.mode !== "look") Object.assign(keys, {
      n: () => this.next(), e: () => this.edit(), ".": () => this.absent(), Backspace: () => this.clear(), x: () => this.aside(), "/": () => this.find(),
      Enter: () => { if (!this.pages.takeCursor()) this.agree(); },
    });
    if (this.mode === "label") keys["Ctrl+Enter"] = () => this.done();
    setKeys(keys);
  }

  anyKey(event) {
    if (event.ctrlKey || event.metaKey) return false;
    if (/^[1-9]$/.test(event.key) && this.mode !== "look") { this.candidate(Number(event.key) - 1); return true; }
    const field = this.mode === "label" && this.paper.fields.find((one) => one.letter === event.key);
    if (!field) return false;
    this.pick(field.key);
    return true;
  }
}

new Desk(document.getElementById("desk")).open();
