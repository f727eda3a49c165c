// The pages in the middle: pictures with words over them. Only pages near the window are in the document; their words
// are fetched when they come near, and where one looks closer than the picture is sharp, sharper pieces of it are laid
// over.

import { svg } from "../frame/beam.js";
import { call } from "../frame/server.js";
import { besideOthers, outlined, sights, TAG } from "./place.js";
import { Sweeps } from "./sweep.js";

const GAP = 18;
const NEAR = 1400; // pixels beyond the window within which pages are kept
const TILES = 4; // sharp pieces along each side of a page
const SHARP_AFTER_MS = 140;
export const TALL = 0.05; // of the page's height: a table or paragraph, which needs no more around it
const MARK_TALL = 0.085; // of the page's height around a tick box or signature
const YIELD_PIXELS = 14; // from the pointer to an outline that steps back

export class Pages {
  // taken(chosen) is called with what was clicked or swept (see sweep.js); came() when pages or words have come near.
  constructor(holder, scroll, document_, { taken, can, came }) {
    this.holder = holder;
    this.scroll = scroll;
    this.document = document_;
    this.taken = taken;
    this.can = can;
    this.came = came;
    this.elements = [];
    this.cursor = null; // {page, index, anchor}
    this.mode = "words";
    this.sweeps = new Sweeps(this);
    scroll.addEventListener("scroll", () => this.nearby(), { passive: true });
  }

  load(pages) {
    this.elements = pages.map((page) => ({ page, root: null, top: 0, height: 0, tiles: new Map() }));
    this.holder.replaceChildren();
  }

  make(element) {
    const { page } = element;
    const root = document.createElement("div");
    root.className = "paper-page";
    root.dataset.page = page.number;
    const image = document.createElement("img");
    image.alt = `Page ${page.number}`;
    image.src = `/documents/${this.document}/pages/${page.number}.jpg`;
    const tiles = document.createElement("div");
    tiles.className = "tiles-sharp";
    const layer = svg("svg", { viewBox: "0 0 1000 1000", preserveAspectRatio: "none", "data-page": page.number });
    const [words, places, helps, marks] = [svg("g"), svg("g"), svg("g", { class: "helps" }), svg("g")];
    layer.append(words, places, helps, marks);
    root.append(image, tiles, layer);
    Object.assign(element, { root, image, layer, words, places, helps, marks, sharp: tiles, filled: false });
    element.tiles.clear();
    this.sweeps.listen(element);
    this.place(element);
    this.holder.append(root);
    this.wordsOf(page.number).then(() => this.fill(element));
  }

  drop(element) {
    element.root.remove();
    Object.assign(element, { root: null, image: null, layer: null });
    element.tiles.clear();
  }

  // The words of a page, fetched once.
  async wordsOf(number) {
    const { page } = this.element(number);
    if (page.words) return page.words;
    page.coming =
      page.coming || call("GET", `/api/v1/documents/${this.document}/pages/${number}/words`).catch(() => []);
    const words = await page.coming;
    if (!page.words) {
      page.words = words;
      this.came();
    }
    return page.words;
  }

  fill(element) {
    if (element.filled || !element.root) return;
    element.filled = true;
    element.words.append(
      ...element.page.words.map(([text, x0, y0, x1, y1, sure], index) => {
        const rect = svg("rect", {
          class: "word",
          x: x0 * 1000,
          y: y0 * 1000,
          width: (x1 - x0) * 1000,
          height: (y1 - y0) * 1000,
          "data-index": index,
        });
        const title = svg("title");
        title.textContent = element.page.source === "ocr" ? `${text} (read with ${Math.round(sure * 100)} %)` : text;
        rect.append(title);
        return rect;
      }),
    );
    this.came();
  }

  // Sizes for a page width in pixels; returns the height of all.
  layout(width) {
    let y = 0;
    this.width = width;
    for (const element of this.elements) {
      const height = (width * element.page.height) / element.page.width;
      Object.assign(element, { top: y, height });
      if (element.root) this.place(element);
      y += height + GAP;
    }
    this.nearby(true);
    return y;
  }

  place({ root, top, height }) {
    root.style.width = `${this.width}px`;
    root.style.height = `${height}px`;
    root.style.top = `${top}px`;
  }

  isNear({ top, height }) {
    const from = this.scroll.scrollTop - NEAR;
    return top + height > from && top < from + this.scroll.clientHeight + 2 * NEAR;
  }

  // Pages that have come near are made, those far away dropped.
  nearby(quiet = false) {
    let changed = false;
    for (const element of this.elements) {
      const near = this.isNear(element);
      if (near && !element.root) {
        this.make(element);
        changed = true;
      } else if (!near && element.root) {
        this.drop(element);
        changed = true;
      }
    }
    if (changed && !quiet) this.came();
    clearTimeout(this.soon);
    this.soon = setTimeout(() => this.sharpen(), SHARP_AFTER_MS);
  }

  /** The number of the page that is looked at: the first of which more than a strip is in the window. */
  get inView() {
    const from = this.scroll.scrollTop + this.scroll.clientHeight / 4;
    return this.elements.find(({ top, height }) => top + height > from)?.page.number ?? 1;
  }
  get near() {
    return this.elements.filter((element) => element.root);
  }
  element(number) {
    return this.elements.find((element) => element.page.number === number);
  }

  // Where a page is shown larger than its picture is, sharper pieces of what is in the window are laid over it.
  sharpen() {
    const ratio = window.devicePixelRatio || 1;
    for (const element of this.near) {
      const inSight =
        element.top + element.height > this.scroll.scrollTop - 80 &&
        element.top < this.scroll.scrollTop + this.scroll.clientHeight + 80;
      const closer = this.width * ratio > 1.12 * element.page.width;
      if (!closer || !inSight) {
        if (element.tiles.size) {
          element.sharp.replaceChildren();
          element.tiles.clear();
        }
        continue;
      }
      const dpi = Math.min(600, Math.ceil((this.width * ratio) / (element.page.width_pt / 72) / 25) * 25);
      if (element.dpi !== dpi) {
        element.sharp.replaceChildren();
        element.tiles.clear();
        element.dpi = dpi;
      }
      for (let row = 0; row < TILES; row += 1)
        for (let column = 0; column < TILES; column += 1) this.tile(element, row, column, dpi);
    }
  }

  tile(element, row, column, dpi) {
    const box = [column / TILES, row / TILES, (column + 1) / TILES, (row + 1) / TILES];
    const top = element.top + box[1] * element.height;
    const left = parseFloat(this.holder.style.left || 0) + box[0] * this.width;
    const view = this.scroll;
    const seen =
      top + element.height / TILES > view.scrollTop - 40 &&
      top < view.scrollTop + view.clientHeight + 40 &&
      left + this.width / TILES > view.scrollLeft - 40 &&
      left < view.scrollLeft + view.clientWidth + 40;
    const name = `${row}-${column}`;
    if (!seen || element.tiles.has(name)) return;
    const image = document.createElement("img");
    image.alt = "";
    image.className = "sharp-piece";
    Object.assign(image.style, {
      left: `${100 * box[0]}%`,
      top: `${100 * box[1]}%`,
      width: `${100 / TILES}%`,
      height: `${100 / TILES}%`,
    });
    image.src = `/documents/${this.document}/pages/${element.page.number}/region.jpg?box=${box.join(",")}&dpi=${dpi}`;
    element.tiles.set(name, image);
    element.sharp.append(image);
  }

  // Left, right, top and bottom in pixels (from the top of the pages) of a box in page fractions.
  pixels(number, box) {
    const { top, height } = this.element(number);
    return { x0: box[0] * this.width, x1: box[2] * this.width, y0: top + box[1] * height, y1: top + box[3] * height };
  }

  mark(element, indices) {
    if (!element.root) return;
    element.words.querySelectorAll(".swept").forEach((rect) => rect.classList.remove("swept"));
    indices.forEach((index) => element.words.children[index]?.classList.add("swept"));
  }

  // ---- The word cursor of the keyboard ----

  async move(key, extend) {
    if (!this.cursor) {
      this.cursor = await this.firstInView();
      if (this.cursor) this.showCursor();
      return;
    }
    const words = await this.wordsOf(this.cursor.page);
    if (key === "ArrowRight" || key === "ArrowLeft") await this.step(key === "ArrowRight" ? 1 : -1, words);
    else await this.toRow(key === "ArrowDown", words);
    if (!extend) this.cursor.anchor = this.cursor.index;
    this.showCursor();
  }

  async firstInView() {
    const top = this.scroll.scrollTop;
    for (const one of this.elements.filter((element) => element.top + element.height > top)) {
      const words = await this.wordsOf(one.page.number);
      const index = words.findIndex((word) => one.top + word[2] * one.height >= top);
      if (index >= 0) return { page: one.page.number, index, anchor: index };
    }
    return null;
  }

  async step(by, words) {
    const next = this.cursor.index + by;
    if (next >= 0 && next < words.length) {
      this.cursor.index = next;
      return;
    }
    const other = this.element(this.cursor.page + by);
    const there = other && (await this.wordsOf(other.page.number));
    if (there?.length)
      this.cursor = {
        page: other.page.number,
        index: by > 0 ? 0 : there.length - 1,
        anchor: by > 0 ? 0 : there.length - 1,
      };
  }

  async toRow(down, words) {
    const [, x0, y0, x1, y1] = words[this.cursor.index];
    const [x, y, height] = [(x0 + x1) / 2, (y0 + y1) / 2, y1 - y0];
    let best = -1;
    let least = Infinity;
    words.forEach(([, a0, b0, a1, b1], index) => {
      const dy = ((b0 + b1) / 2 - y) * (down ? 1 : -1);
      if (dy < 0.6 * height) return;
      const away = dy * 3 + Math.max(0, a0 - x, x - a1);
      if (away < least) {
        least = away;
        best = index;
      }
    });
    if (best >= 0) this.cursor.index = best;
    else await this.step(down ? 1 : -1, { length: 0 });
  }

  // To the next word that begins with a text; false when there is none.
  async find(text) {
    const from = this.cursor ? `&page=${this.cursor.page}&index=${this.cursor.index}` : "";
    const found = await call(
      "GET",
      `/api/v1/documents/${this.document}/find?text=${encodeURIComponent(text)}${from}`,
    ).catch(() => []);
    if (!found.length) return false;
    this.cursor = { page: found[0], index: found[1], anchor: found[1] };
    await this.wordsOf(found[0]);
    this.showCursor();
    return true;
  }

  showCursor() {
    const element = this.element(this.cursor.page);
    const [, x0, y0, x1, y1] = element.page.words[this.cursor.index];
    this.reveal(this.cursor.page, [x0, y0, x1, y1]);
    this.near.forEach((one) => {
      one.marks.replaceChildren();
      if (one !== element) this.mark(one, []);
    });
    if (!element.root) return;
    this.fill(element);
    const [from, to] = [
      Math.min(this.cursor.anchor, this.cursor.index),
      Math.max(this.cursor.anchor, this.cursor.index),
    ];
    this.mark(
      element,
      Array.from({ length: to - from + 1 }, (_, step) => from + step),
    );
    element.marks.append(
      svg("rect", {
        class: "word cursor",
        x: x0 * 1000 - 2,
        y: y0 * 1000 - 2,
        width: (x1 - x0) * 1000 + 4,
        height: (y1 - y0) * 1000 + 4,
      }),
    );
  }

  hideCursor() {
    this.cursor = null;
    this.near.forEach((element) => {
      element.marks.replaceChildren();
      this.mark(element, []);
    });
  }

  takeCursor(add = false) {
    if (!this.cursor) return false;
    const { page, anchor, index } = this.cursor;
    const [from, to] = [Math.min(anchor, index), Math.max(anchor, index)];
    this.sweeps.take({ page, words: Array.from({ length: to - from + 1 }, (_, step) => from + step), add });
    return true;
  }

  reveal(number, box) {
    const { y0, y1 } = this.pixels(number, box);
    const view = this.scroll;
    if (y0 < view.scrollTop + 40 || y1 > view.scrollTop + view.clientHeight - 60) {
      view.scrollTop = Math.max(0, y0 - view.clientHeight / 3);
      this.nearby();
    }
  }

  // Outlines of the values: [{page, box, kind}].
  outline(places) {
    for (const element of this.near) {
      /** @type {[number, number][]} where keys stand, in pixels */
      const tags = [];
      element.places.replaceChildren(
        ...places
          .filter((place) => place.page === element.page.number)
          .flatMap(({ box, kind, tag = "" }) => {
            const [x0, y0, x1, y1] = outlined(box, element.page.words || [], element.height / this.width);
            const rect = svg("rect", {
              class: `place ${kind}`,
              x: x0 * 1000,
              y: y0 * 1000,
              width: (x1 - x0) * 1000,
              height: (y1 - y0) * 1000,
            });
            if (!tag) return [rect];
            const at = besideOthers([x0 * this.width, y0 * element.height], tags);
            tags.push(at);
            return [rect, this.#tag(element, tag, at[0] / this.width, at[1] / element.height)];
          }),
      );
    }
  }

  /** A key at a candidate's place. The page is drawn in thousandths of its sides: letters are drawn upright in them. */
  #tag(element, text, x, y) {
    const [across, down] = [1000 / this.width, 1000 / element.height];
    const made = svg("g", { class: "tag", transform: `translate(${x * 1000} ${y * 1000}) scale(${across} ${down})` });
    const letter = svg("text", { x: 1, y: -3 });
    letter.textContent = text;
    made.append(svg("rect", { x: -2, y: -TAG[1], width: TAG[0], height: TAG[1], rx: 2 }), letter);
    return made;
  }

  /** Outlines near the pointer step back, so that what stands there can be read. */
  yieldTo(element, [x, y]) {
    const [across, down] = [YIELD_PIXELS / this.width, YIELD_PIXELS / element.height].map((share) => share * 1000);
    for (const place of element.places.querySelectorAll("rect.place")) {
      const [left, top, width, height] = ["x", "y", "width", "height"].map((side) => Number(place.getAttribute(side)));
      const inside = x * 1000 > left - across && x * 1000 < left + width + across;
      place.classList.toggle("yields", inside && y * 1000 > top - down && y * 1000 < top + height + down);
    }
  }

  // Draw a value into a canvas, with what is printed beside or above it: the loupe. A mark says nothing without what
  // stands around it.
  crop(canvas, number, box, kind) {
    const { image, page } = this.element(number);
    if (!image) return;
    const draw = () => {
      const ratio = page.height / page.width;
      const high = box[3] - box[1];
      const isMark = kind === "mark";
      const parts = high < TALL && kind === "words" ? sights(box, page.words || [], ratio) : [box];
      const wide = (canvas.width / canvas.height) * ratio; // page widths that are shown, by page heights
      const gap = 0.012;
      const across = parts.reduce((sum, part) => sum + part[2] - part[0] + 2 * gap, 0);
      const needed = Math.max(...parts.map((part) => part[3])) - Math.min(...parts.map((part) => part[1]));
      const tall = Math.max(
        Math.max(high * (high < TALL ? 2 : 1.1), needed + 0.6 * Math.min(high, 0.012)),
        across / wide,
        isMark ? MARK_TALL : 0,
      );
      const y = (Math.min(...parts.map((part) => part[1])) + Math.max(...parts.map((part) => part[3]))) / 2 - tall / 2;
      const context = canvas.getContext("2d");
      context.fillStyle = "#fff";
      context.fillRect(0, 0, canvas.width, canvas.height);
      context.imageSmoothingQuality = "high";
      const scale = canvas.height / tall; // pixels a page height
      const spare = tall * wide - across; // what is left over shows what stands around
      let at = 0;
      parts.forEach((part, place) => {
        const last = place === parts.length - 1;
        const wanted = part[2] - part[0] + 2 * gap + (last ? spare : 0);
        const start = last && parts.length === 1 ? part[0] - gap - spare / 2 : part[0] - gap;
        const x = Math.min(Math.max(0, start), Math.max(0, 1 - wanted));
        const pixels = (wanted * scale) / ratio;
        const { naturalWidth, naturalHeight } = image;
        context.drawImage(
          image,
          ...[x * naturalWidth, y * naturalHeight, wanted * naturalWidth, tall * naturalHeight],
          ...[at, 0, pixels, canvas.height],
        );
        if (last && kind === "words" && high < TALL) this.#underline(context, box, { x, y, at, scale, ratio });
        if (!last) this.#breakAt(context, at + pixels, canvas.height);
        at += pixels;
      });
    };
    if (image.complete && image.naturalWidth) draw();
    else image.addEventListener("load", draw, { once: true });
  }

  /** Which of the words that are shown is meant. */
  #underline(context, box, { x, y, at, scale, ratio }) {
    context.fillStyle = "#1f5aa6";
    const bottom = (box[3] - y) * scale + 3;
    context.fillRect(at + ((box[0] - x) * scale) / ratio, bottom, ((box[2] - box[0]) * scale) / ratio, 2);
  }

  /** Where something of the line is left out. */
  #breakAt(context, x, height) {
    context.save();
    context.strokeStyle = "#8b8577";
    context.lineWidth = 1.5;
    context.setLineDash([4, 4]);
    context.beginPath();
    context.moveTo(x, 0);
    context.lineTo(x, height);
    context.stroke();
    context.restore();
  }
}
