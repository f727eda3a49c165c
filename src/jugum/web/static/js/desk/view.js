// How the desk is drawn: the pages in the middle, notes in the margins, the dock below, what is told. It reads the
// paper and what is selected, and tells the controller what a person does (`acts`).

import { Dock } from "./dock.js";
import { Margins, NOTE_WIDTH } from "./margins.js";
import { button, element } from "./notes.js";

const GUTTER = 34;
const STRIP = 46; // above the first page: what is told lies over it, and moves nothing
const PAGE_WIDTH_MAX = 1000;
const TWO_SIDES_FROM = 1100; // pixels of the window: below, all notes stand left, so that the page can be read

/** What is selected: a field, whether it is edited, a box without words, a field whose printed name is asked for. */
export class Selection {
  constructor() {
    /** @type {string | null} */
    this.active = null;
    this.editing = false;
    /** @type {{page: number, box: import("./geometry.js").Box} | null} */
    this.free = null;
    /** @type {string | null} */
    this.naming = null;
    this.filter = "all";
  }
}

export class DeskView {
  /**
   * @param {HTMLElement} root
   * @param {import("./model.js").Paper} paper
   * @param {Selection} selection
   * @param {import("./pages.js").Pages} pages
   * @param {any} acts
   */
  constructor(root, paper, selection, pages, acts) {
    this.root = root;
    this.paper = paper;
    this.selection = selection;
    this.pages = pages;
    this.acts = acts;
    this.scroll = /** @type {HTMLElement} */ (root.querySelector(".desk-scroll"));
    this.plane = /** @type {HTMLElement} */ (root.querySelector(".desk-plane"));
    this.zoom = Number(sessionStorage.getItem("jugum-zoom")) || 1;
    this.pressed = false;
    this.margins = new Margins(this);
    this.dock = new Dock(this);
    this.#noPressIsLost();
  }

  get active() {
    return this.selection.active && this.paper.field(this.selection.active);
  }

  /** The field that was active when the desk was drawn last: what a person sees as active. */
  get drawn() {
    return this.drawnKey ? this.paper.field(this.drawnKey) : null;
  }

  /** Whether a person is typing a value just now. */
  get typing() {
    return this.selection.editing || this.dock.holdsTyping;
  }

  draw() {
    this.drawnKey = this.selection.active;
    const top = this.scroll.scrollTop;
    const sides = this.scroll.clientWidth < TWO_SIDES_FROM ? 1 : 2;
    const margin = NOTE_WIDTH + GUTTER + 10;
    const room = this.scroll.clientWidth - sides * margin - 24;
    const width = Math.round(Math.min(room, PAGE_WIDTH_MAX) * this.zoom);
    const planeWidth = Math.max(this.scroll.clientWidth - 1, width + sides * margin);
    const left = sides === 1 ? margin : Math.max(margin, (planeWidth - width) / 2);
    this.pages.holder.style.left = `${left}px`;
    this.plane.style.width = `${planeWidth}px`;
    this.frame = { sides, left, width, planeWidth, gutter: GUTTER, top: STRIP, height: this.pages.layout(width) };
    this.margins.draw();
    this.dock.draw();
    this.titles();
    this.root.querySelector("[data-zoom]").textContent = `${Math.round(this.zoom * 100)} %`;
    this.scroll.scrollTop = top;
    this.acts.drawn();
  }

  /** Draw again for news from the server, but never between a press and its release: the click would be lost. */
  redraw() {
    if (this.selection.editing) return;
    if (this.pressed) this.late = true;
    else this.draw();
  }

  /** Pages or words have come near: their notes too, without moving anything else. */
  came() {
    if (!this.frame || this.pressed) return;
    cancelAnimationFrame(this.soon);
    this.soon = requestAnimationFrame(() => {
      if (this.selection.editing && !this.dock.rails) return;
      this.margins.draw();
      this.acts.moved();
    });
  }

  titles() {
    this.root.querySelector("[data-title]").textContent = this.paper.title();
    this.act("seen")?.setAttribute("aria-pressed", String(Boolean(this.paper.data.seen_by)));
    const [all, some] = ["agree-all", "agree-passing"].map((name) => this.act(name));
    if (!all) return;
    const suggested = this.paper.suggested();
    all.hidden = !suggested.all.length || suggested.passing.length === suggested.all.length;
    all.textContent = `Accept all ${suggested.all.length}`;
    some.hidden = !suggested.passing.length;
    some.firstChild.textContent = `Accept the ${suggested.passing.length} that pass `;
  }

  /** @returns {HTMLElement} */
  act(name) {
    return this.root.querySelector(`[data-act="${name}"]`);
  }

  /** Bring a field's place into sight. */
  show(key) {
    const value = this.paper.standing(this.paper.field(key)).values.find((one) => one.box);
    if (value) this.pages.reveal(value.page, value.box);
  }

  scale(by) {
    this.zoom = by ? Math.min(8, Math.max(0.5, this.zoom * by)) : 1;
    sessionStorage.setItem("jugum-zoom", String(this.zoom));
    this.draw();
  }

  tell(text, kind = "") {
    const status = this.root.querySelector("[data-status]");
    status.textContent = text;
    status.className = `state ${kind}`;
  }

  get told() {
    return this.root.querySelector("[data-status]").textContent;
  }

  /**
   * A line over the pages that stays until it is closed or its cause is gone (see closeBanner); one of the same name
   * (`only`) takes its place.
   */
  banner(text, kind = "held", only = "") {
    const holder = this.root.querySelector("[data-banners]");
    if (only) holder.querySelector(`[data-only="${only}"]`)?.remove();
    const made = element("div", `desk-banner ${kind}`);
    made.dataset.only = only;
    made.setAttribute("role", "alert");
    made.append(element("span", "", text));
    made.append(button("Close", "", () => made.remove()));
    holder.append(made);
    return made;
  }

  /** The cause of a banner is mended: it goes. */
  closeBanner(only) {
    this.root.querySelector(`[data-banners] [data-only="${only}"]`)?.remove();
  }

  #noPressIsLost() {
    document.addEventListener(
      "pointerdown",
      () => {
        this.pressed = true;
      },
      true,
    );
    document.addEventListener("pointerup", () => {
      this.pressed = false;
      if (this.late)
        setTimeout(() => {
          this.late = false;
          this.redraw();
        });
    });
  }
}
