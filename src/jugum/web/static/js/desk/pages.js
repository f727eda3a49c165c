// The pages in the middle: pictures with words over them, choosing words by click, sweep and arrow keys.

import { svg } from "../beam.js";

const GAP = 18;
const NEAR = 1400; // pixels beyond the window at which a page's words are drawn

export class Pages {
  // taken({page, words}) is called with the words chosen; touched(page, index) on a plain click of one word.
  constructor(holder, scroll, document_, { taken, can }) {
    Object.assign(this, { holder, scroll, document: document_, taken, can });
    this.pages = [];
    this.cursor = null; // {page, index, anchor}
    this.last = null;
  }

  load(pages) {
    this.pages = pages;
    this.elements = pages.map((page) => this.make(page));
    this.holder.replaceChildren(...this.elements.map((element) => element.root));
    this.watcher = new IntersectionObserver((seen) => {
      for (const one of seen) if (one.isIntersecting) this.fill(this.elements.find((element) => element.root === one.target));
    }, { root: this.scroll, rootMargin: `${NEAR}px 0px` });
    this.elements.forEach((element) => this.watcher.observe(element.root));
  }

  make(page) {
    const root = document.createElement("div");
    root.className = "paper-page";
    root.dataset.page = page.number;
    const image = document.createElement("img");
    image.alt = `Page ${page.number}`;
    image.loading = "lazy";
    image.src = `/documents/${this.document}/pages/${page.number}.jpg`;
    const layer = svg("svg", { viewBox: "0 0 1000 1000", preserveAspectRatio: "none", "data-page": page.number });
    const words = svg("g");
    const places = svg("g");
    const marks = svg("g");
    layer.append(words, places, marks);
    root.append(image, layer);
    const element = { root, image, layer, words, places, marks, page, filled: false };
    this.listen(element);
    return element;
  }

  fill(element) {
    if (element.filled) return;
    element.filled = true;
    element.words.append(...element.page.words.map(([text, x0, y0, x1, y1, sure], index) => {
      const rect = svg("rect", { class: "word", x: x0 * 1000, y: y0 * 1000, width: (x1 - x0) * 1000, height: (y1 - y0) * 1000, "data-index": index });
      const title = svg("title");
      title.textContent = element.page.source === "ocr" ? `${text} (read with ${Math.round(sure * 100)} %)` : text;
      rect.append(title);
      return rect;
    }));
  }

  // Sizes for a page width in pixels; returns the height of all.
  layout(width) {
    let y = 0;
    this.width = width;
    for (const element of this.elements) {
      const height = width * element.page.height / element.page.width;
      element.root.style.width = `${width}px`;
      element.root.style.height = `${height}px`;
      element.root.style.top = `${y}px`;
      Object.assign(element, { top: y, height });
      y += height + GAP;
    }
    return y;
  }

  element(number) { return this.elements.find((element) => element.page.number === number); }

  // Top and height in pixels (from the top of the pages) of a box in page fractions.
  pixels(number, box) {
    const { top, height } = this.element(number);
    return { x0: box[0] * this.width, x1: box[2] * this.width, y0: top + box[1] * height, y1: top + box[3] * height };
  }

  listen(element) {
    let start = null;
    const point = (event) => {
      const area = element.layer.getBoundingClientRect();
      return [(event.clientX - area.left) / area.width, (event.clientY - area.top) / area.height];
    };
    element.layer.addEventListener("pointerdown", (event) => {
      if (event.button !== 0 || !this.can()) return;
      event.preventDefault();
      start = point(event);
      start.push(event.clientX, event.clientY);
      element.layer.setPointerCapture(event.pointerId);
    });
    element.layer.addEventListener("pointermove", (event) => {
      if (start) this.mark(element, this.swept(element, start, point(event)));
    });
    element.layer.addEventListener("pointerup", (event) => {
      if (!start) return;
      const end = point(event);
      const moved = Math.hypot(event.clientX - start[2], event.clientY - start[3]) > 4;
      let chosen = moved ? this.swept(element, start, end) : this.under(element, end);
      start = null;
      this.mark(element, []);
      if (event.shiftKey && chosen.length && this.last?.page === element.page.number) {
        const [from, to] = [Math.min(this.last.words[0], chosen[0]), Math.max(this.last.words.at(-1), chosen.at(-1))];
        chosen = Array.from({ length: to - from + 1 }, (_, step) => from + step);
        this.take(element.page.number, chosen, true);
      } else if (chosen.length) this.take(element.page.number, chosen, false);
    });
    element.layer.addEventListener("pointercancel", () => { start = null; this.mark(element, []); });
  }

  under(element, [x, y]) {
    const index = element.page.words.findIndex(([, x0, y0, x1, y1]) => x >= x0 && x <= x1 && y >= y0 && y <= y1);
    return index < 0 ? [] : [index];
  }

  swept(element, from, to) {
    const [x0, x1] = [Math.min(from[0], to[0]), Math.max(from[0], to[0])];
    const [y0, y1] = [Math.min(from[1], to[1]), Math.max(from[1], to[1])];
    return element.page.words.flatMap(([, a0, b0, a1, b1], index) => (a1 > x0 && a0 < x1 && (b0 + b1) / 2 > y0 && (b0 + b1) / 2 < y1) || (a1 > x0 && a0 < x1 && b1 > y0 && b0 < y1 && y1 - y0 < b1 - b0) ? [index] : []);
  }

  mark(element, indices) {
    element.words.querySelectorAll(".swept").forEach((rect) => rect.classList.remove("swept"));
    indices.forEach((index) => element.words.children[index]?.classList.add("swept"));
  }

  take(page, words, extend) {
    this.last = { page, words };
    this.hideCursor();
    this.taken({ page, words, extend });
  }

  // ---- The word cursor of the keyboard ----

  move(key, extend) {
    const page = this.pages[0];
    if (!page?.words.length) return;
    if (!this.cursor) { this.cursor = this.firstInView(); this.cursor.anchor = this.cursor.index; this.showCursor(); return; }
    const words = this.element(this.cursor.page).page.words;
    if (key === "ArrowRight" || key === "ArrowLeft") this.step(key === "ArrowRight" ? 1 : -1, words);
    else this.toRow(key === "ArrowDown", words);
    if (!extend) this.cursor.anchor = this.cursor.index;
    this.showCursor();
  }

  firstInView() {
    const top = this.scroll.scrollTop;
    const element = this.elements.find((one) => one.top + one.height > top && one.page.words.length) || this.elements[0];
    const index = element.page.words.findIndex((word) => element.top + word[2] * element.height >= top);
    return { page: element.page.number, index: Math.max(0, index) };
  }

  step(by, words) {
    const next = this.cursor.index + by;
    if (next >= 0 && next < words.length) { this.cursor.index = next; return; }
    const other = this.element(this.cursor.page + by);
    if (other?.page.words.length) this.cursor = { page: other.page.number, index: by > 0 ? 0 : other.page.words.length - 1, anchor: by > 0 ? 0 : other.page.words.length - 1 };
  }

  toRow(down, words) {
    const [, x0, y0, x1, y1] = words[this.cursor.index];
    const [x, y, height] = [(x0 + x1) / 2, (y0 + y1) / 2, y1 - y0];
    let best = -1;
    let least = Infinity;
    words.forEach(([, a0, b0, a1, b1], index) => {
      const dy = ((b0 + b1) / 2 - y) * (down ? 1 : -1);
      if (dy < 0.6 * height) return;
      const away = dy * 3 + Math.max(0, a0 - x, x - a1);
      if (away < least) { least = away; best = index; }
    });
    if (best >= 0) this.cursor.index = best;
    else this.step(down ? 1 : -1, { length: 0 });
  }

  find(text) {
    const wanted = text.toLowerCase();
    for (const { page } of this.elements) {
      const index = page.words.findIndex((word) => word[0].toLowerCase().startsWith(wanted));
      if (index >= 0) { this.cursor = { page: page.number, index, anchor: index }; this.showCursor(); return true; }
    }
    return false;
  }

  showCursor() {
    this.elements.forEach((element) => element.marks.replaceChildren());
    const element = this.element(this.cursor.page);
    this.fill(element);
    const [from, to] = [Math.min(this.cursor.anchor, this.cursor.index), Math.max(this.cursor.anchor, this.cursor.index)];
    this.mark(element, Array.from({ length: to - from + 1 }, (_, step) => from + step));
    const [, x0, y0, x1, y1] = element.page.words[this.cursor.index];
    element.marks.append(svg("rect", { class: "word cursor", x: x0 * 1000 - 2, y: y0 * 1000 - 2, width: (x1 - x0) * 1000 + 4, height: (y1 - y0) * 1000 + 4 }));
    this.reveal(this.cursor.page, [x0, y0, x1, y1]);
  }

  hideCursor() {
    this.cursor = null;
    this.elements.forEach((element) => { element.marks.replaceChildren(); this.mark(element, []); });
  }

  takeCursor() {
    if (!this.cursor) return false;
    const [from, to] = [Math.min(this.cursor.anchor, this.cursor.index), Math.max(this.cursor.anchor, this.cursor.index)];
    this.take(this.cursor.page, Array.from({ length: to - from + 1 }, (_, step) => from + step), false);
    return true;
  }

  reveal(number, box) {
    const { y0, y1 } = this.pixels(number, box);
    const view = this.scroll;
    if (y0 < view.scrollTop + 40 || y1 > view.scrollTop + view.clientHeight - 60) view.scrollTop = Math.max(0, y0 - view.clientHeight / 3);
  }

  // Outlines of the values: [{page, box, kind}].
  outline(places) {
    for (const element of this.elements) {
      element.places.replaceChildren(...places.filter((place) => place.page === element.page.number).map(({ box, kind }) => svg("rect", {
        class: `place ${kind}`, x: box[0] * 1000 - 2, y: box[1] * 1000 - 1, width: (box[2] - box[0]) * 1000 + 4, height: (box[3] - box[1]) * 1000 + 2,
      })));
    }
  }

  // Draw the crop of a value's surroundings into a canvas: the loupe.
  crop(canvas, number, box) {
    const { image, page } = this.element(number);
    const draw = () => {
      const high = box[3] - box[1];
      const wide = canvas.width / canvas.height * (page.height / page.width);
      const tall = Math.max(high * 2.3, (box[2] - box[0]) * 1.25 / wide);
      const width = tall * wide;
      const x = Math.min(Math.max(0, (box[0] + box[2]) / 2 - width / 2), Math.max(0, 1 - width));
      const y = (box[1] + box[3]) / 2 - tall / 2;
      const context = canvas.getContext("2d");
      context.fillStyle = "#fff";
      context.fillRect(0, 0, canvas.width, canvas.height);
      context.imageSmoothingQuality = "high";
      context.drawImage(image, x * image.naturalWidth, y * image.naturalHeight, width * image.naturalWidth, tall * image.naturalHeight, 0, 0, canvas.width, canvas.height);
    };
    if (image.complete && image.naturalWidth) draw();
    else { image.loading = "eager"; image.addEventListener("load", draw, { once: true }); }
  }
}
