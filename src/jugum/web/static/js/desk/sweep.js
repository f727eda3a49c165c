// Clicking and sweeping on a page: words, parts of words, free boxes, and over page breaks.

import { svg } from "../frame/beam.js";
import { lettersBetween } from "./model.js";

const PART_MOST = 0.85; // of a word's width: a longer sweep means the whole word
const PARTED = /^(?=.{10}).*[^\s.,-][-–—:;=#][^\s.,]/; // ten letters or more, with a mark between two parts

export class Sweeps {
  constructor(pages) {
    this.pages = pages;
    this.last = null; // where the next shift-click goes on from: {page, first, last}
  }

  listen(element) {
    let start = null;
    const point = (event) => {
      const area = element.layer.getBoundingClientRect();
      return [(event.clientX - area.left) / area.width, (event.clientY - area.top) / area.height];
    };
    element.layer.addEventListener("pointerdown", (event) => {
      if (event.button !== 0 || !this.pages.can() || event.target.closest("[data-hold]")) return;
      event.preventDefault();
      start = point(event);
      start.push(event.clientX, event.clientY);
      element.layer.setPointerCapture(event.pointerId);
    });
    element.layer.addEventListener("pointermove", (event) => {
      const at = point(event);
      this.pages.yieldTo(element, at);
      if (start) this.show(element, start, at);
      else this.pages.hovered?.(element.page.number, at);
    });
    element.layer.addEventListener("pointerleave", () => this.pages.yieldTo(element, [-1, -1]));
    element.layer.addEventListener("pointerup", (event) => {
      if (!start) return;
      const [from, end] = [start, point(event)];
      const moved = Math.hypot(event.clientX - start[2], event.clientY - start[3]) > 4;
      start = null;
      this.clear(element);
      this.ended(element, from, end, moved, event);
    });
    element.layer.addEventListener("pointercancel", () => {
      start = null;
      this.clear(element);
    });
  }

  show(element, from, to) {
    const words = this.swept(element, from, to);
    this.pages.mark(element, this.pages.mode === "words" ? words : []);
    element.marks.replaceChildren();
    if (this.pages.mode !== "words" || !words.length) {
      const [x0, y0, x1, y1] = boxOf(from, to);
      element.marks.append(
        svg("rect", {
          class: "sweeping-box",
          x: x0 * 1000,
          y: y0 * 1000,
          width: (x1 - x0) * 1000,
          height: (y1 - y0) * 1000,
        }),
      );
    }
  }

  clear(element) {
    this.pages.mark(element, []);
    element.marks?.replaceChildren();
  }

  ended(element, from, end, moved, event) {
    const page = element.page.number;
    const [add, extend] = [event.ctrlKey || event.metaKey, event.shiftKey];
    const box = moved ? boxOf(from, end) : null;
    if (this.pages.mode !== "words") {
      this.pages.taken({ page, at: end, box, extend, add });
      return;
    }
    const part = moved ? this.letters(element, from, end, event.altKey) : null;
    if (part) {
      this.pages.taken({ page, ...part });
      return;
    }
    const words = moved ? this.swept(element, from, end) : this.under(element, end);
    if (extend && words.length && this.last && !this.pages.helped?.()) this.reach(page, words);
    else if (words.length) this.take({ page, words, add, extend, at: end, box });
    else if (moved && box[2] - box[0] > 0.004 && box[3] - box[1] > 0.004)
      this.pages.taken({ page, words: [], box, add, at: end });
    else this.pages.nothing?.({ page, at: end, extend });
  }

  take(chosen) {
    this.last = { page: chosen.page, first: chosen.words[0], last: chosen.words.at(-1) };
    this.pages.hideCursor();
    this.pages.taken(chosen);
  }

  // From where the last one began to these words, over lines and pages.
  async reach(page, words) {
    const { last } = this;
    if (last.page === page) {
      const [from, to] = [Math.min(last.first, words[0]), Math.max(last.last, words.at(-1))];
      this.pages.hideCursor();
      this.pages.taken({ page, words: range(from, to), extend: true });
      return;
    }
    const [head, foot] =
      last.page < page
        ? [last, { page, first: words[0], last: words.at(-1) }]
        : [{ page, first: words[0], last: words.at(-1) }, last];
    const places = [];
    for (let number = head.page; number <= foot.page; number += 1) {
      const all = await this.pages.wordsOf(number);
      const [from, to] = [number === head.page ? head.first : 0, number === foot.page ? foot.last : all.length - 1];
      if (to >= from) places.push({ page: number, words: range(from, to) });
    }
    this.pages.hideCursor();
    this.pages.taken({ ...places[0], more: places.slice(1), extend: true });
  }

  under(element, [x, y]) {
    const index = (element.page.words || []).findIndex(
      ([, x0, y0, x1, y1]) => x >= x0 && x <= x1 && y >= y0 && y <= y1,
    );
    return index < 0 ? [] : [index];
  }

  swept(element, from, to) {
    const [x0, y0, x1, y1] = boxOf(from, to);
    return (element.page.words || []).flatMap(([, a0, b0, a1, b1], index) =>
      (a1 > x0 && a0 < x1 && (b0 + b1) / 2 > y0 && (b0 + b1) / 2 < y1) ||
      (a1 > x0 && a0 < x1 && b1 > y0 && b0 < y1 && y1 - y0 < b1 - b0)
        ? [index]
        : [],
    );
  }

  // The letters of one word between two places: its text there, and the word. With Alt of any word; without, a sweep
  // must begin and end within a long word of several parts and cover a part of it.
  letters(element, from, to, any) {
    /** @type {[number, number]} */
    const middle = [(from[0] + to[0]) / 2, (from[1] + to[1]) / 2];
    const [index] = this.under(element, middle);
    if (index === undefined) return null;
    const [text, x0, , x1] = element.page.words[index];
    const [a, b] = [from, to].map(([x]) => (x - x0) / (x1 - x0)).sort((one, other) => one - other);
    const within = [from, to].every((at) => this.under(element, at)[0] === index) && b - a < PART_MOST;
    if (!any && !(within && PARTED.test(text))) return null;
    const part = lettersBetween(text, a, b);
    return part ? { words: [index], text: part } : null;
  }
}

export function boxOf(from, to) {
  const cut = (side) => Math.min(1, Math.max(0, side));
  return [
    cut(Math.min(from[0], to[0])),
    cut(Math.min(from[1], to[1])),
    cut(Math.max(from[0], to[0])),
    cut(Math.max(from[1], to[1])),
  ];
}

function range(from, to) {
  return Array.from({ length: to - from + 1 }, (_, step) => from + step);
}
