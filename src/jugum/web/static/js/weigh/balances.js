// Balances: a field's values on an axis of confidence, right ones above and wrong ones below, and its threshold.

import { logOdds, svg } from "../frame/beam.js";

const LOW = logOdds(0.2);
const HIGH = logOdds(0.995);
const TICKS = [0.2, 0.5, 0.8, 0.9, 0.95, 0.98, 0.995];
const SIDE = 8; // pixels left free at both ends
const BEYOND = 26; // to the right of 99.5 %: where nothing passes
const LINE = 15;
export const HEIGHT = 26;
const STACK = 4; // marks that can stand over each other

export class Axis {
  /** @param {number} width */
  constructor(width) {
    this.width = width;
  }

  x(probability) {
    if (probability >= 0.9975) return this.width - SIDE;
    const share = (Math.min(HIGH, Math.max(LOW, logOdds(probability))) - LOW) / (HIGH - LOW);
    return SIDE + share * (this.width - 2 * SIDE - BEYOND);
  }

  at(x) {
    if (x > this.width - SIDE - BEYOND / 2) return 1;
    const share = Math.min(1, Math.max(0, (x - SIDE) / (this.width - 2 * SIDE - BEYOND)));
    return 1 / (1 + Math.exp(-(LOW + share * (HIGH - LOW))));
  }

  /** The labels of the scale, once for all balances. */
  heads() {
    const parts = [];
    let labelled = -Infinity;
    for (const tick of TICKS) {
      if (this.x(tick) - labelled < 38) continue; // a narrow axis has no room for each
      labelled = this.x(tick);
      const label = svg("text", { class: "tick", x: this.x(tick), y: 12 });
      label.textContent = `${tick * 100} %`;
      parts.push(label);
    }
    return parts;
  }
}

/** A mark: of held-out papers a stroke or a diamond, of the test set a bar or a square, of life a dot or a triangle. */
function shape(x, level, right, live, test) {
  if (right && test) return `M${x - 2} ${LINE - 4 - (level % STACK) * 3.2}h4`;
  if (right && live) return `M${x} ${LINE - 5.6 - (level % STACK) * 3.2}h0.01`;
  if (right) return `M${x} ${LINE - 3 - (level % STACK) * 3.2}v-2.3`;
  const at = x + (level % 3) * 2;
  if (test) return `M${at - 2.7} ${LINE + 3.4}h5.4v5.4h-5.4z`;
  return live ? `M${at} ${LINE + 3}l3.6 6.2h-7.2z` : `M${at} ${LINE + 3}l3.3 3.3l-3.3 3.3l-3.3 -3.3z`;
}

export class Balance {
  /** @param {HTMLElement} section
   * @param {any[][]} marks confidence, similarity, right, unseen, document, found, expected, counted, source
   * @param {import("./model.js").Dial} dial
   * @param {{gate: () => number, pinned: (key: string, value: number) => void,
   *   ruled: (key: string, rule: string) => void, picked: (balance: Balance, place: number) => void}} told */
  constructor(section, marks, dial, told) {
    this.section = section;
    this.key = section.dataset.key;
    this.name = section.getAttribute("aria-label");
    this.marks = marks;
    this.dial = dial;
    this.told = told;
    this.axis = /** @type {SVGSVGElement} */ (section.querySelector(".axis"));
    this.picked = -1;
    this.handle = this.makeHandle();
    this.rule = /** @type {HTMLSelectElement} */ (section.querySelector("[data-rule]"));
    this.rule.addEventListener("change", () => told.ruled(this.key, this.rule.value));
    new ResizeObserver(() => this.draw()).observe(this.axis);
  }

  makeHandle() {
    const handle = svg("g", {
      class: "threshold",
      tabindex: 0,
      role: "slider",
      "aria-label": `Threshold of ${this.name}`,
      "aria-valuemin": 50,
      "aria-valuemax": 100,
    });
    handle.addEventListener("keydown", (/** @type {KeyboardEvent} */ event) => {
      const step = { ArrowLeft: 1, ArrowRight: -1, PageDown: 5, PageUp: -5 }[event.key];
      if (step) {
        event.preventDefault();
        const place = this.dial.gridPlace(this.dial.threshold(this.key) ?? 1) + step;
        this.pin(this.dial.grid[Math.max(0, Math.min(this.dial.grid.length - 1, place))]);
      } else if (event.key === "." || event.key === ",") {
        event.preventDefault();
        event.stopPropagation();
        this.pick(this.picked + (event.key === "." ? 1 : -1));
      }
    });
    handle.addEventListener("pointerdown", (/** @type {PointerEvent} */ event) => {
      event.preventDefault();
      handle.focus();
      this.axis.setPointerCapture(event.pointerId); // which stays where it is, while the handle is drawn anew
    });
    this.axis.addEventListener("pointermove", (event) => {
      if (!this.axis.hasPointerCapture(event.pointerId)) return;
      this.pin(this.scale.at(event.clientX - this.axis.getBoundingClientRect().left));
    });
    return handle;
  }

  get scale() {
    return new Axis(this.axis.clientWidth || 500);
  }

  pin(threshold) {
    this.dial.pin(this.key, threshold);
    this.draw();
    this.told.pinned(this.key, threshold);
  }

  /** Show a mark; the last follows the first. */
  pick(place) {
    if (!this.marks.length) return;
    this.picked = (place + this.marks.length) % this.marks.length;
    this.draw();
    this.told.picked(this, this.picked);
  }

  draw() {
    const scale = this.scale;
    const focused = document.activeElement === this.handle;
    this.axis.setAttribute("viewBox", `0 0 ${scale.width} ${HEIGHT}`);
    const ground = svg("line", { class: "ground", x1: 4, x2: scale.width - 4, y1: LINE, y2: LINE });
    const ticks = TICKS.map((tick) =>
      svg("line", { class: "ground", x1: scale.x(tick), x2: scale.x(tick), y1: LINE - 2, y2: LINE + 2 }),
    );
    this.axis.replaceChildren(ground, ...ticks, ...this.drawnMarks(scale), this.placed(scale));
    if (focused) this.handle.focus();
    this.figures();
  }

  // Marks stack where they would hide each other: right ones upwards, wrong ones side by side.
  drawnMarks(scale) {
    const stacks = {};
    const threshold = this.dial.threshold(this.key);
    return this.marks.map(([confidence, similarity, right, unseen, , , , counted, source], place) => {
      const x = Math.round(scale.x(confidence) / 4) * 4;
      const level = (stacks[`${x}${right}`] = (stacks[`${x}${right}`] || 0) + 1) - 1;
      const passes = threshold !== null && confidence >= threshold && similarity >= this.told.gate();
      const kind = `${passes ? "passes" : "held"}${unseen || !counted ? " not-counted" : ""}`;
      const chosen = place === this.picked ? " picked" : "";
      const live = source === "spot check" || source === "review";
      const test = source === "test set";
      const d = shape(x, level, right, live, test);
      const mark = svg("path", {
        class: `mark ${right ? "right" : "wrong"}${live ? " live" : ""} ${kind}${chosen}`,
        d,
      });
      mark.addEventListener("pointerdown", (event) => event.stopPropagation());
      mark.addEventListener("click", () => this.pick(place));
      const title = svg("title");
      title.textContent = this.words(place);
      mark.append(title);
      return mark;
    });
  }

  words(place) {
    const [confidence, , right, unseen, , found, expected, counted, source] = this.marks[place];
    const from =
      { "test set": " (test set)", "spot check": " (live, spot-checked)", review: " (live, reviewed)" }[source] || "";
    const why = `${from}${unseen ? " (new layout)" : ""}${counted ? "" : " (looked at because it was held)"}`;
    const answer = right
      ? `found ${found || "nothing"}`
      : `found ${found || "nothing"}, expected ${expected || "nothing"}`;
    return `${(confidence * 100).toFixed(1)} %, ${right ? "right" : "wrong"}: ${answer}${why}`;
  }

  placed(scale) {
    const threshold = this.dial.threshold(this.key);
    const x = scale.x(threshold ?? 1);
    const said = threshold === null ? "always a person" : `${(threshold * 100).toFixed(1)} %`;
    this.handle.setAttribute("aria-valuenow", String(Math.round((threshold ?? 1) * 100)));
    this.handle.setAttribute("aria-valuetext", said);
    this.handle.replaceChildren(
      svg("rect", { x: x - 9, y: 0, width: 18, height: HEIGHT, fill: "transparent" }),
      svg("line", { x1: x, x2: x, y1: 4, y2: HEIGHT - 2 }),
      svg("polygon", { points: `${x},7 ${x - 5},0 ${x + 5},0` }),
    );
    return this.handle;
  }

  /** What follows, in words. */
  figures() {
    const field = this.dial.fields[this.key];
    const threshold = this.dial.threshold(this.key);
    const { passing, wrong, bound, share, error, minutes } = this.dial.follows(this.key);
    const percent = (part, digits = 0) => `${(part * 100).toFixed(digits)} %`;
    const say = (name, words) => (this.section.querySelector(`[data-${name}]`).textContent = words);
    say("threshold", threshold === null ? "–" : threshold >= 1 ? "none" : percent(threshold, threshold > 0.99 ? 1 : 0));
    say("passes", field.total ? `${percent(share)} of ${field.total}` : "–");
    if (field.thin) say("wrong", "too few to say");
    else
      say(
        "wrong",
        passing ? `${this.dial.inShares ? percent(error, 1) : wrong}, at most ${percent(bound, 1)}` : "nothing passes",
      );
    say("review", minutes ? `${minutes.toFixed(1)} min` : "–");
    this.rule.value = this.dial.rule(this.key);
    if (this.rule.value !== this.dial.rule(this.key)) this.addRule(this.dial.rule(this.key));
    this.section.classList.toggle("ruled", this.rule.value !== "");
  }

  /** A weight that was set over the API. */
  addRule(rule) {
    const option = document.createElement("option");
    option.value = rule;
    option.textContent = `weighs ${rule} ×`;
    this.rule.append(option);
    this.rule.value = rule;
  }
}
