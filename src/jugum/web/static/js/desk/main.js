// The desk: marginalia for labelling, reviewing and looking. One class keeps the paper's state and draws it.

import { call } from "../server.js";
import { setKeys } from "../keys.js";
import { ask, tell } from "../dialogs.js";
import { Pages } from "./pages.js";
import { Saver } from "./saver.js";
import { Helps } from "./helps.js";
import { drawing } from "./drawing.js";
import { marking } from "./marking.js";
import { button, element } from "./notes.js";

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
    this.undoable = [];
    this.redoable = [];
    this.filter = "all";
    this.since = performance.now();
    this.pages = new Pages(root.querySelector(".desk-pages"), this.scroll, this.id, { taken: (chosen) => this.take(chosen), can: () => this.mode !== "look", came: () => this.came() });
    if (this.mode === "label") this.helps = new Helps(this.pages, { tell: (text) => this.tell(text), took: (values, how, stay) => this.put(this.field(this.active), values, { how, stay }) });
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
    if (this.status.textContent.startsWith("Opening")) this.tell(this.why());
    if (this.paper.suggest_later) this.suggestLater();
    if (this.mode !== "look") setInterval(() => this.presence(), PRESENCE_MS);
    this.root.dataset.ready = "yes";
  }

  // Why this paper came next, as the one before was left.
  why() {
    const why = sessionStorage.getItem("jugum-why") || "";
    sessionStorage.removeItem("jugum-why");
    return why && this.mode === "label" ? `Chosen: ${why}` : "";
  }

  async suggestLater() {
    this.tell("Looking for suggestions on the first 40 pages…");
    const fields = await call("GET", `/api/v1/documents/${this.id}/suggestions`).catch(() => []);
    for (const fresh of fields) {
      const field = this.field(fresh.key);
      if (field && !field.decided) Object.assign(field, { suggestion: fresh.suggestion, others: fresh.others, threshold: fresh.threshold, suggested_rows: fresh.suggested_rows, passes: fresh.passes });
    }
    this.tell("");
    this.redraw();
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
    if (paper.blind) this.banner("You label this paper apart from another person: neither sees what the other says.", "plain", "blind");
    if (paper.others.length) this.banner(`${paper.others[0].name} has this paper open. What both of you change is told, nothing is overwritten unseen.`, "held", "others");
    this.titles();
  }

  titles() {
    const open = this.paper.fields.filter((field) => this.isOpen(field)).length;
    const title = this.root.querySelector("[data-title]");
    const left = this.paper.left;
    if (this.mode === "label") title.textContent = `${this.paper.state === "labelled" ? "Labelled" : open ? `${open} of ${this.paper.fields.length} to mark` : "Every field is marked"}${left ? `, ${left} more` : ""}: ${this.paper.name}`;
    else if (this.mode === "review") title.textContent = `${this.paper.name}: ${open ? `${open} ${open === 1 ? "field waits" : "fields wait"}` : this.paper.state}${left ? `, ${left} more held` : ""}`;
    else title.textContent = `${this.paper.name}: ${this.paper.state}${this.paper.version ? `, read by version ${this.paper.version}` : ""}`;
    this.agreeButtons();
  }

  agreeButtons() {
    const [all, some] = ["agree-all", "agree-passing"].map((name) => this.root.querySelector(`[data-act="${name}"]`));
    if (!all) return;
    const ghosts = this.paper.fields.filter((field) => !field.decided && field.suggestion.length);
    const passing = ghosts.filter((field) => field.passes);
    all.hidden = !ghosts.length || passing.length === ghosts.length;
    all.textContent = `Agree to all ${ghosts.length}`;
    some.hidden = !passing.length;
    some.firstChild.textContent = `Agree to the ${passing.length} that pass `;
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

  // ---- What a person does ----

  pick(key) {
    if (this.active !== key) { this.since = performance.now(); this.free = null; }
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

  async normal(field, text) {
    if (field.shape.kind === "table") return text;
    const found = await call("GET", `/api/v1/types/${this.type}/fields/${field.key}/normal-form?text=${encodeURIComponent(text)}`).catch(() => null);
    return found ? found.normal : "";
  }

  // ---- Saving ----

  async saved(item, answer) {
    this.paper.revision = answer.revision;
    if (answer.plant) { await this.planted(item, answer); return; }
    this.tell(`Saved ${new Date().toLocaleTimeString([], { hour: "2-digit", minute: "2-digit", second: "2-digit" })}`);
    const field = this.field(item.key);
    if (this.mode === "label" && this.paper.state === "to label") this.paper.state = "in progress";
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

  // A suggestion shown to see whether it is looked at was agreed to: it was not kept.
  async planted(item, answer) {
    this.accept(await call("GET", this.path));
    this.active = item.key;
    this.draw();
    this.banner(answer.plant, "held", "plant");
    this.tell("");
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
    if (this.editing && this.dock.contains(this.grid?.editor)) { this.grid.editor.save(); return; } // the rows at hand first
    await this.saver.run();
    try {
      const { next } = await call("POST", `/api/v1/documents/${this.id}/labelled`);
      if (next) sessionStorage.setItem("jugum-why", this.paper.next === next ? this.paper.next_why : "");
      location.href = next ? `/label/${next}` : `/types/${this.type}/label`;
    } catch (error) { this.banner(error.message, "held", "done"); }
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
    if (text && !(await this.pages.find(text))) this.tell(`No word begins with “${text}”.`);
  }

  scale(by) {
    this.zoom = by ? Math.min(8, Math.max(0.5, this.zoom * by)) : 1;
    sessionStorage.setItem("jugum-zoom", this.zoom);
    this.draw();
  }

  leave() {
    if (this.naming || this.free) { this.naming = this.free = null; this.draw(); }
    else if (this.pages.cursor) this.pages.hideCursor();
    else if (this.active) { this.active = null; this.draw(); }
    else location.href = `/types/${this.type}/${this.mode === "look" ? "deliver" : this.mode}`;
  }

  listen() {
    document.addEventListener("pointerdown", () => { this.pressed = true; }, true);
    document.addEventListener("pointerup", () => {
      this.pressed = false;
      if (this.late) setTimeout(() => { this.late = false; this.redraw(); });
    });
    const acts = { "zoom-in": () => this.scale(1.2), "zoom-out": () => this.scale(1 / 1.2), previous: () => this.go(this.paper.previous), next: () => this.go(this.paper.next), done: () => this.done(), aside: () => this.aside(), "agree-all": () => this.agreeAll(false), "agree-passing": () => this.agreeAll(true) };
    this.root.querySelector("[data-filter]")?.addEventListener("change", (event) => { this.filter = event.target.value; this.draw(); });
    this.root.querySelectorAll("[data-act]").forEach((one) => one.addEventListener("click", () => acts[one.dataset.act]()));
    new ResizeObserver(() => this.draw()).observe(this.scroll);
    const arrows = (event, name) => { if (this.mode === "look") return false; if (!this.helps?.move(event.key, name.startsWith("Shift+"))) this.pages.move(event.key, name.startsWith("Shift+")); return true; };
    const keys = {
      j: () => this.walk(1), k: () => this.walk(-1), "[": () => this.go(this.paper.previous), "]": () => this.go(this.paper.next),
      "+": () => this.scale(1.2), "=": () => this.scale(1.2), "-": () => this.scale(1 / 1.2), 0: () => this.scale(0), Escape: () => this.leave(),
      ArrowLeft: arrows, ArrowRight: arrows, ArrowUp: arrows, ArrowDown: arrows, "Shift+ArrowLeft": arrows, "Shift+ArrowRight": arrows, "Shift+ArrowUp": arrows, "Shift+ArrowDown": arrows,
      any: (event) => this.anyKey(event),
    };
    if (this.mode !== "look") Object.assign(keys, {
      n: () => this.next(), e: () => this.edit(), ".": () => this.absent(), Backspace: () => this.clear(), x: () => this.aside(), "/": () => this.find(),
      Enter: () => { if (!this.helps?.takeWalked() && !this.pages.takeCursor()) this.agree(); },
    });
    if (this.mode === "label") Object.assign(keys, {
      "Ctrl+Enter": () => this.done(), "Shift+Enter": () => this.agreeAll(true), "Ctrl+z": () => this.undo(), "Ctrl+Z": () => this.redo(), "Ctrl+y": () => this.redo(),
      "+": () => this.scale(1.2), ",": () => { if (!this.pages.takeCursor(true)) this.tell("Walk to the words with the arrows first."); },
    });
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

Object.assign(Desk.prototype, drawing, marking);
new Desk(document.getElementById("desk")).open();
