// The desk, for labelling, reviewing and looking: it opens the paper, saves what a person does, hears what others do,
// and goes on to the next. The paper's state is in model.js, what is drawn in view.js, what a person does with fields
// in marking.js.

import { nextInQueue } from "../review/next.js";
import { call } from "../frame/server.js";
import { clock } from "../frame/dates.js";
import { ask, tell } from "../frame/dialogs.js";
import { lookCloser } from "./closer.js";
import { Helps } from "./helps.js";
import { setDeskKeys } from "./keys.js";
import { Marking } from "./marking.js";
import { Paper } from "./model.js";
import { button } from "./notes.js";
import { Pages } from "./pages.js";
import { Saver } from "./saver.js";
import { Suggesting } from "./suggesting.js";
import { Trail } from "./trail.js";
import { DeskView, Selection } from "./view.js";

const PRESENCE_MS = 15000;
const IDLE_MS = 600000; // without a key or the mouse: the paper is soon free for others

/** @param {?number} others papers of its new layout that a paper was read with; null where its layout is known */
function newLayout(others) {
  if (others === null || others === undefined) return "";
  return others ? `New layout, read with ${others} like it` : "New layout, the first of it";
}

export class Desk {
  /** @param {HTMLElement} root */
  constructor(root) {
    this.root = root;
    this.mode = /** @type {import("./model.js").Mode} */ (root.dataset.mode);
    this.id = root.dataset.document;
    this.type = root.dataset.type;
    this.since = performance.now();
    this.paper = new Paper({ fields: [], others: [] }, this.mode);
    this.selection = new Selection();
    this.trail = new Trail();
    this.pages = new Pages(root.querySelector(".desk-pages"), root.querySelector(".desk-scroll"), this.id, {
      taken: (chosen) => this.marking.take(chosen),
      can: () => this.mode !== "look",
      came: () => this.view.came(),
    });
    this.view = new DeskView(root, this.paper, this.selection, this.pages, this.acts());
    this.marking = new Marking(this);
    if (this.mode !== "look")
      this.helps = new Helps(this.pages, {
        tell: (text) => this.view.tell(text),
        took: (values, method, stay) => this.marking.put(this.view.active, values, { method, stay }),
      });
  }

  /** What the view asks for. */
  acts() {
    const marking =
      (name) =>
      (...given) =>
        this.marking[name](...given);
    const names = [
      "agree",
      "edit",
      "absent",
      "answer",
      "clear",
      "candidate",
      "typed",
      "putRows",
      "readHere",
      "moreButtons",
      "letStand",
      "letAllStand",
      "mend",
    ];
    return {
      ...Object.fromEntries([...names, "stopEditing"].map((name) => [name, marking(name)])),
      pick: (key) => this.pick(key),
      normal: (field, text) => this.normal(field, text),
      closer: (field, value) => lookCloser(this.id, value.page, value.box, field.name),
      drawn: () => {
        const field = this.selection.editing ? null : this.view.active;
        this.helps?.show(field || null).then(() => this.view.dock.rails?.draw());
      },
      moved: () => {
        this.helps?.draw();
        this.view.dock.rails?.draw();
      },
    };
  }

  get path() {
    if (this.mode === "label") return `/api/v1/documents/${this.id}/label-desk`;
    return `/api/v1/documents/${this.id}/review-desk${this.mode === "look" ? "?look=true" : ""}`;
  }

  // ---- Opening ----

  async open() {
    try {
      this.accept(await call("GET", this.path));
    } catch (error) {
      this.view.banner(error.message, "blocks");
      this.view.tell("");
      return;
    }
    this.pages.load(this.paper.data.pages);
    this.saver = this.newSaver();
    if (this.saver.waiting.length) {
      this.view.banner("Your last entries had not reached the server. They are being sent now.", "held", "unsent");
      this.saver.run();
    }
    this.listen();
    if (this.mode === "review") this.paper.undoable = this.trail.steps(this.id);
    setDeskKeys(this);
    const first = this.mode === "look" ? null : this.paper.nextOpen(null);
    this.selection.active = this.root.dataset.focus || first;
    this.view.draw();
    if (this.selection.active) this.view.show(this.selection.active);
    if (this.view.told.startsWith("Opening")) this.view.tell(this.why());
    this.suggestLater();
    if (this.mode !== "look") setInterval(() => this.presence(), PRESENCE_MS);
    this.active = performance.now();
    for (const sign of ["pointermove", "keydown", "wheel"]) {
      addEventListener(sign, () => (this.active = performance.now()), { passive: true });
    }
    this.root.dataset.ready = "yes";
    if (this.mode === "review" && this.trail.asked(this.id)) this.marking.undo();
  }

  newSaver() {
    return new Saver({
      name: `jugum-${this.mode}-${this.id}`,
      path: (key) => `/api/v1/documents/${this.id}/${this.mode === "label" ? "labels" : "review"}/${key}`,
      revision: () => this.paper.data.revision,
      told: (text, kind) => this.view.tell(text, kind),
      saved: (item, answer) => this.saved(item, answer),
      conflict: (item, error) => this.conflict(item, error),
      refused: (item, error) => this.refused(item, error),
    });
  }

  accept(data) {
    if (!this.paper.accept(data, this.saver?.unsent)) return;
    if (data.blind)
      this.view.banner("Two people label this paper. Neither sees the other's answers.", "plain", "blind");
    this.saysCheck(data.check);
    if (data.others.length) {
      const rule = "If you both change a field, you are told; nothing is overwritten without a word.";
      this.view.banner(`${data.others[0].name} has this paper open. ${rule}`, "held", "others");
    }
    this.view.titles();
  }

  /** What is asked for where values that passed are checked. */
  saysCheck(check) {
    if (this.mode !== "review") return;
    const asked = {
      open: "Spot check: these values passed by themselves. Accept what is right, correct what is wrong; w says that all of it is right.",
      blind:
        "Blind spot check: say what stands on the paper. What passed by itself is shown afterwards, where it differs.",
    }[check];
    if (asked) this.view.banner(asked, "plain", "check");
    else this.view.closeBanner("check");
  }

  /** Why this paper came next, as the one before was left; in review, that its layout is new. */
  why() {
    const why = sessionStorage.getItem("jugum-why") || "";
    sessionStorage.removeItem("jugum-why");
    if (this.mode === "review") return newLayout(this.paper.data.read_with);
    return why && this.mode === "label" ? `Chosen: ${why}` : "";
  }

  suggestLater() {
    if (!this.paper.data.windows?.length) return;
    const suggesting = new Suggesting(this.paper.data.windows, {
      ask: (first, last) => call("GET", `/api/v1/documents/${this.id}/suggestions?first=${first}&last=${last}`),
      inView: () => this.pages.inView,
      said: () => this.view.told,
      tell: (text) => this.view.tell(text),
      came: (fields) => {
        this.paper.suggest(fields, this.selection.active);
        this.view.redraw();
      },
    });
    suggesting.look();
    this.view.scroll.addEventListener("scroll", () => suggesting.look(), { passive: true });
  }

  listen() {
    const acts = {
      "zoom-in": () => this.view.scale(1.2),
      "zoom-out": () => this.view.scale(1 / 1.2),
      previous: () => this.go(this.paper.data.previous),
      next: () => this.go(this.paper.data.next),
      done: () => this.done(),
      aside: () => this.aside(),
      seen: () => this.seeWhole(),
      "agree-all": () => this.marking.agreeAll(false),
      "agree-passing": () => this.marking.agreeAll(true),
    };
    for (const [name, act] of Object.entries(acts))
      this.view.act(name)?.addEventListener("click", (event) => {
        if (event.detail) this.view.act(name).blur(); // clicked by mouse: Enter is a key of the desk again
        act();
      });
    this.root.querySelector("[data-filter]")?.addEventListener("change", (event) => {
      this.selection.filter = event.target.value;
      this.view.draw();
    });
    new ResizeObserver(() => this.view.draw()).observe(this.view.scroll);
  }

  // ---- Which field ----

  pick(key) {
    if (this.selection.active !== key) {
      this.since = performance.now();
      this.selection.free = null;
    }
    Object.assign(this.selection, { active: key, editing: false });
    this.view.draw();
    this.view.show(key);
  }

  /** The place of the active field, large. */
  lookCloser() {
    const field = this.view.active;
    const value = field && this.paper.standing(field).values.find((one) => one.box);
    if (value) lookCloser(this.id, value.page, value.box, field.name);
  }

  walk(by) {
    this.pick(this.paper.neighbour(this.selection.active, by));
  }

  next() {
    const key = this.paper.nextOpen(this.selection.active);
    if (key) this.pick(key);
  }

  /** Seconds since the last answer, or since the field was picked. */
  secondsSince() {
    const seconds = (performance.now() - this.since) / 1000;
    if (this.mode === "label") this.since = performance.now();
    return seconds;
  }

  async normal(field, text) {
    if (field.shape.kind === "table") return text;
    const path = `/api/v1/types/${this.type}/fields/${field.key}/normal-form?text=${encodeURIComponent(text)}`;
    const found = await call("GET", path).catch(() => null);
    return found ? found.normal : text;
  }

  // ---- What the server says ----

  /** An answer is with the server. The next one is sent when this is done: what takes longer is left to run on. */
  async saved(item, answer) {
    this.paper.data.revision = answer.revision;
    this.view.closeBanner(item.key);
    if (answer.plant) await this.planted(item, answer);
    else this.noted(item, answer);
  }

  async noted(item, answer) {
    const { data } = this.paper;
    if (!this.saver.waiting.length) this.view.closeBanner("unsent");
    this.view.tell(`Saved ${clock(new Date())}`);
    const field = this.paper.field(item.key);
    if (this.mode === "label" && data.state === "to label") data.state = "in progress";
    if (field && field.shape.kind !== "derived") await this.readAnew(field);
    if (this.mode === "review") {
      this.held(answer.holds);
      const fails = Object.values(answer.holds).some((hold) => hold.reason === "fails a check");
      if (fails || this.paper.data.checks.some((check) => check.mends.length)) this.checksAnew();
      if (answer.open === 0 && item.body !== null && !this.saver.waiting.length) {
        this.settled(answer);
        return;
      }
      if (item.body !== null && answer.holds[item.key]?.reason === "spot check") {
        await this.differs(item.key);
        return;
      }
    }
    this.view.redraw();
  }

  /** What checks say now, and what would make them true. */
  async checksAnew() {
    const fresh = await call("GET", this.path).catch(() => null);
    if (!fresh || fresh.revision < this.paper.data.revision) return;
    this.paper.data.checks = fresh.checks;
    this.view.redraw();
  }

  /** The normal forms of a field's values. A sign that says "none", as "–" for a number, is no value. */
  async readAnew(field) {
    const { values } = field;
    for (const value of values) value.normal = await this.normal(field, value.text);
    if (field.values !== values) return; // answered again in the meantime
    const there = values.filter((value) => value.normal !== "");
    if (there.length < values.length) Object.assign(field, { values: there, absent: !there.length });
    for (const value of there) value.normal ??= "";
  }

  /** A value that was said before what had passed was seen, and differs: both are shown now, and one is chosen. */
  async differs(key) {
    this.accept(await call("GET", this.path));
    if (this.view.typing) return; // what is being typed goes into the field it is typed for
    this.selection.active = key;
    this.view.redraw();
    this.view.show(key);
    this.view.tell(`${this.paper.field(key)?.name}: what had passed differs`, "held");
  }

  settled({ next, state }) {
    this.paper.data.state = state;
    this.view.tell(state === "settled" ? "Settled" : "Checked");
    location.href = next ? nextInQueue(this.type) : `/types/${this.type}/review`;
  }

  /** A control suggestion was accepted: it was not saved. */
  async planted(item, answer) {
    this.accept(await call("GET", this.path));
    this.selection.active = item.key;
    this.view.draw();
    this.view.banner(answer.plant, "held", "plant");
    this.view.tell("");
  }

  /** What is held now. The field that a person picked stays picked, unless it is let go by this news. */
  held(holds) {
    const waited = Boolean(this.view.active && this.paper.isOpen(this.view.active));
    for (const field of this.paper.hold(holds, this.saver.unsent))
      this.view.tell(`${field.name}: ${field.detail}`, "held");
    const { active } = this.view;
    if (this.view.typing) return; // what is being typed goes into the field it is typed for
    if (!active || (waited && !this.paper.isOpen(active)))
      this.selection.active = this.paper.nextOpen(this.selection.active) || this.selection.active;
  }

  /** Somebody has seen the whole paper: what passed on it is right, too. Once more takes it back. */
  async seeWhole() {
    await this.saver.run();
    const { data } = this.paper;
    const [seen, checked] = [!data.seen_by, this.paper.isOnlyChecked];
    let answer;
    try {
      answer = await call("PUT", `/api/v1/documents/${this.id}/seen`, { seen, revision: data.revision });
      Object.assign(data, { revision: answer.revision, seen_by: seen ? "you" : "" });
    } catch (error) {
      this.view.banner(error.message, "blocks", "seen");
      return;
    }
    this.view.tell(seen ? "Seen: the values that passed are labels now" : "No longer marked as seen");
    this.held(answer.holds);
    if (checked && answer.open === 0) this.settled(answer);
    else this.view.draw();
  }

  async conflict(item, error) {
    const name = this.paper.field(item.key)?.name;
    const { rows, absent, values } = item.body || {};
    const typed = rows ? `${rows.length} rows` : values?.map((value) => value.text).join("; ") || "cleared";
    const mine = absent ? "not on this paper" : typed;
    this.accept(await call("GET", this.path).catch(() => this.paper.data));
    this.view.draw();
    const words = `${error.message} The paper was loaded again. Your ${name} (${mine}) was not saved.`;
    this.view.tell("Not saved");
    const banner = this.view.banner(words, "blocks", item.key);
    const keep = button("Save mine anyway", "", () => {
      banner.remove();
      this.saver.put(item.key, item.body);
    });
    banner.append(keep);
  }

  async refused(item, error) {
    this.view.banner(`${this.paper.field(item.key)?.name}: ${error.message}`, "blocks", item.key);
    this.view.tell("Not saved");
    const fresh = await call("GET", this.path).catch(() => null);
    if (!fresh) return;
    this.accept(fresh);
    this.selection.active = item.key;
    this.view.draw();
  }

  async presence() {
    const idle = performance.now() - this.active > IDLE_MS ? "?idle=true" : "";
    const now = await call("POST", `/api/v1/documents/${this.id}/presence${idle}`).catch(() => null);
    if (!now) return;
    if (now.others.length) this.view.banner(`${now.others[0].name} has this paper open.`, "held", "others");
    else this.view.closeBanner("others");
    if (now.revision === this.paper.data.revision || this.saver.waiting.length || this.selection.editing) return;
    this.accept(await call("GET", this.path));
    this.view.redraw();
    this.view.tell("Somebody else changed the paper; it was loaded again");
  }

  // ---- Going on ----

  async done() {
    if (this.view.dock.saveGrid()) return; // the rows at hand first
    await this.saver.run();
    try {
      const { data } = this.paper;
      const { next } = await call("POST", `/api/v1/documents/${this.id}/labelled`, { revision: data.revision });
      if (next) sessionStorage.setItem("jugum-why", data.next === next ? data.next_why : "");
      location.href = next ? `/label/${next}` : `/types/${this.type}/label`;
    } catch (error) {
      this.view.banner(error.message, "held", "done");
    }
  }

  async go(to) {
    if (!to) {
      this.view.tell("There is no other paper in this direction.");
      return;
    }
    if (this.saver) await this.saver.run();
    location.href = `/${this.mode}/${to}`;
  }

  async aside() {
    const reason = await ask({
      title: "Why can't this paper be used?",
      verb: "Set aside",
      input: "",
      placeholder: this.mode === "review" ? "more about it" : "such as: second page missing",
      choices: this.mode === "review" ? this.paper.data.aside_reasons : [],
    });
    if (reason === null) return;
    try {
      await call("POST", `/api/v1/documents/${this.id}/set-aside`, { reason, revision: this.paper.data.revision });
    } catch (error) {
      await tell("The paper was not set aside", error.message);
      return;
    }
    const { next } = this.paper.data;
    if (this.mode === "review" && next) location.href = nextInQueue(this.type);
    else location.href = next ? `/${this.mode}/${next}` : `/types/${this.type}/${this.mode}`;
  }

  async find() {
    const text = await ask({
      title: "Find a word on the page",
      verb: "Find",
      input: "",
      placeholder: "its first letters",
    });
    if (text && !(await this.pages.find(text))) this.view.tell(`No word begins with “${text}”.`);
  }

  leave() {
    const { selection } = this;
    if (selection.naming || selection.free) {
      selection.naming = selection.free = null;
      this.view.draw();
    } else if (this.pages.cursor) this.pages.hideCursor();
    else if (selection.active) {
      selection.active = null;
      this.view.draw();
    } else location.href = `/types/${this.type}/${this.mode === "look" ? "deliver" : this.mode}`;
  }
}

new Desk(document.getElementById("desk")).open();
