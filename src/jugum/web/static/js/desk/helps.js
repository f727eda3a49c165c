// What lights up on the page for fields that are no runs of words: paragraphs for sections, tick boxes and signatures
// for marks.

import { svg } from "../frame/beam.js";
import { call } from "../frame/server.js";
import { union } from "./geometry.js";
import { MARKS } from "./model.js";

export class Helps {
  // took(values, method) is called with the values a person chose.
  constructor(pages, { took, tell }) {
    this.pages = pages;
    this.took = took;
    this.tell = tell;
    this.field = null;
    this.marks = new Map();
    this.at = -1;
    this.anchor = null;
    pages.helped = () => this.active;
    pages.nothing = (chosen) => {
      if (this.active) this.chose(chosen);
    };
    pages.hovered = (page, at) => this.hover(page, at);
  }

  // Helps for a field, or none.
  async show(field) {
    const kind = field?.shape.kind === "clause" ? "clause" : field && MARKS.includes(field.data_type) ? "marks" : "";
    if (this.field?.key !== field?.key) {
      this.at = -1;
      this.anchor = null;
    }
    this.field = field;
    this.kind = kind;
    if (kind === "clause" && !this.paragraphs)
      this.paragraphs = await call("GET", `/api/v1/documents/${this.pages.document}/paragraphs`).catch(() => []);
    if (this.field === field) this.draw();
  }

  get active() {
    return Boolean(this.kind);
  }

  draw() {
    for (const element of this.pages.near) {
      if (this.kind === "clause") element.helps.replaceChildren(...this.boxes(element.page.number));
      else if (this.kind === "marks") this.drawMarks(element);
      else if (!element.helps.querySelector("[data-hold]")) element.helps.replaceChildren();
    }
  }

  boxes(page) {
    return (this.paragraphs || []).flatMap((one, at) =>
      one.places
        .filter(([number]) => number === page)
        .map(([, box]) => rect(box, `paragraph${this.lit(at) ? " lit" : ""}`)),
    );
  }

  lit(at) {
    if (this.anchor === null || this.at < 0) return at === this.at;
    return at >= Math.min(this.anchor, this.at) && at <= Math.max(this.anchor, this.at);
  }

  async drawMarks(element) {
    const { number } = element.page;
    if (!this.marks.has(number))
      this.marks.set(
        number,
        call("GET", `/api/v1/documents/${this.pages.document}/pages/${number}/marks`).catch(() => []),
      );
    const found = await this.marks.get(number);
    if (this.kind !== "marks" || !element.root) return;
    const wanted = found.filter((mark) => (mark.kind !== "tick box") === (this.field.data_type === "signature"));
    element.helps.replaceChildren(
      ...wanted.map((mark) => {
        const shown = rect(mark.box, "found-mark");
        const title = svg("title");
        title.textContent =
          mark.kind !== "tick box"
            ? { signature: "signed here", stamp: "stamped here" }[mark.kind]
            : `${mark.ticked ? "ticked" : "empty"}: ${mark.label} (${mark.answer})`;
        shown.append(title);
        return shown;
      }),
    );
  }

  under(page, [x, y]) {
    return (this.paragraphs || []).findIndex((one) =>
      one.places.some(([number, box]) => number === page && x >= box[0] && x <= box[2] && y >= box[1] && y <= box[3]),
    );
  }

  hover(page, at) {
    if (this.kind !== "clause" || this.anchor !== null) return;
    const found = this.under(page, at);
    if (found !== this.at) {
      this.at = found;
      this.draw();
    }
  }

  // A click or sweep while helps are shown; false when it was on nothing of theirs.
  async chose({ page, at, box, extend }) {
    if (this.kind === "clause") {
      const found = at ? this.under(page, at) : -1;
      if (found < 0) {
        this.tell("There is no paragraph here.");
        return true;
      }
      const from = extend && this.anchor !== null ? Math.min(this.anchor, found) : found;
      if (!extend || this.anchor === null) this.anchor = found;
      this.takeParagraphs(from, extend ? Math.max(this.anchor, found) : found);
      return true;
    }
    const found = await (this.marks.get(page) || []);
    const mark = found.find(
      (one) =>
        at &&
        at[0] >= one.box[0] - 0.004 &&
        at[0] <= one.box[2] + 0.004 &&
        at[1] >= one.box[1] - 0.004 &&
        at[1] <= one.box[3] + 0.004,
    );
    if (mark && mark.kind === "tick box" && this.field.data_type === "choice")
      this.took([{ text: mark.label, normal: mark.label, page, box: mark.box }], "marked");
    else if (mark && mark.kind === "tick box" && this.field.data_type === "tick box")
      this.took([{ text: mark.answer, normal: mark.answer, page, box: mark.box }], "marked");
    else if (this.field.data_type === "signature" && (mark || box))
      this.took([{ text: "yes", normal: "yes", page, box: mark ? mark.box : box }], "marked");
    else return false;
    return true;
  }

  takeParagraphs(from, to) {
    const its = this.paragraphs.slice(from, to + 1);
    const places = its.flatMap((one) => one.places);
    const byPage = new Map();
    for (const [page, box] of places) byPage.set(page, byPage.has(page) ? union([byPage.get(page), box]) : box);
    const [[page, box], ...more_places] = [...byPage.entries()];
    this.at = to;
    const text = its.map((one) => one.text).join(" ");
    this.took([{ text, normal: text, page, box, more_places }], "marked", true);
  }

  // Keys while paragraphs are shown: up and down walk, with shift they reach, Enter takes.
  move(key, extend) {
    if (this.kind !== "clause" || !this.paragraphs?.length) return false;
    if (extend && this.anchor === null) this.anchor = Math.max(0, this.at);
    if (!extend) this.anchor = null;
    this.at = Math.max(
      0,
      Math.min(this.paragraphs.length - 1, this.at + (key === "ArrowDown" || key === "ArrowRight" ? 1 : -1)),
    );
    const [page, box] = this.paragraphs[this.at].places[0];
    this.pages.reveal(page, box);
    this.walking = true;
    this.draw();
    return true;
  }

  takeWalked() {
    if (this.kind !== "clause" || !this.walking || this.at < 0) return false;
    this.walking = false;
    const from = this.anchor ?? this.at;
    this.takeParagraphs(Math.min(from, this.at), Math.max(from, this.at));
    return true;
  }
}

function rect(box, kind) {
  return svg("rect", {
    class: kind,
    x: box[0] * 1000 - 3,
    y: box[1] * 1000 - 2,
    width: (box[2] - box[0]) * 1000 + 6,
    height: (box[3] - box[1]) * 1000 + 4,
  });
}
