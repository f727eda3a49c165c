// The frontier: minutes of review against wrong values, with the dial to be moved along it.

import { svg } from "../frame/beam.js";
import { minutesSaid, niceAxis } from "./model.js";

const LEFT = 46;
const RIGHT = 14;
const TOP = 12;
const BOTTOM = 44;
const ROUND = [0.5, 1, 2, 5, 10, 20, 30, 50, 75, 100, 150, 200, 300, 500, 1000, 2000];
const KEY_STEPS = { ArrowLeft: 1, ArrowRight: -1, PageDown: 10, PageUp: -10 };

export class FrontierChart {
  /** @param {SVGSVGElement} chart
   * @param {import("./model.js").Dial} dial
   * @param {{x_axis: string, y_axis: string, unit: string}} words
   * @param {() => void} moved */
  constructor(chart, dial, words, moved) {
    this.chart = chart;
    this.dial = dial;
    this.words = words;
    this.moved = moved;
    /** @type {{name: string, points: [number, number, number][], point: [number, number, number]} | null} */
    this.then = null;
    this.handle = this.makeHandle();
    new ResizeObserver(() => this.draw()).observe(chart);
  }

  makeHandle() {
    const handle = svg("g", { class: "dial", tabindex: 0, role: "slider", "aria-label": "The dial" });
    handle.addEventListener("keydown", (/** @type {KeyboardEvent} */ event) => {
      const last = this.dial.points.length - 1;
      const place = { Home: last, End: 0 }[event.key] ?? this.dial.place + (KEY_STEPS[event.key] ?? 0);
      if (!(event.key in KEY_STEPS) && !["Home", "End"].includes(event.key)) return;
      event.preventDefault();
      this.to(place);
    });
    const follow = (/** @type {PointerEvent} */ event) =>
      this.to(this.dial.nearestMinutes(this.minutesAt(event.clientX)));
    this.chart.addEventListener("pointerdown", (event) => {
      event.preventDefault();
      handle.focus();
      this.chart.setPointerCapture(event.pointerId);
      follow(event);
    });
    this.chart.addEventListener("pointermove", (event) => {
      if (this.chart.hasPointerCapture(event.pointerId)) follow(event);
    });
    return handle;
  }

  to(place) {
    this.dial.moveTo(place);
    this.draw();
    this.moved();
  }

  get width() {
    return this.chart.clientWidth || 600;
  }

  get height() {
    return this.chart.clientHeight || 220;
  }

  // Most settings lie where little is left to review, so the axis grows with the square root.
  minutesAt(clientX) {
    const share = (clientX - this.chart.getBoundingClientRect().left - LEFT) / (this.width - LEFT - RIGHT);
    return Math.max(0, share) ** 2 * this.most;
  }

  x(minutes) {
    return LEFT + Math.sqrt(minutes / this.most) * (this.width - LEFT - RIGHT);
  }

  y(wrong) {
    const share = Math.min(1, wrong / this.up.top);
    return this.height - BOTTOM - share * (this.height - TOP - BOTTOM);
  }

  /** What is likely to be chosen is in view: the proposal and the policy in force with their bounds; laxer settings run
   * out of the picture at its top. */
  scale() {
    const { points, proposed, now } = this.dial;
    const shown = [points[proposed ?? 0], now].filter(Boolean);
    const most = Math.max(10, ...shown.map((point) => point.wrong_per_1000_upper));
    const then = this.then?.points.map(([minutes]) => minutes) ?? [];
    this.most = Math.max(1, ...points.map((point) => point.minutes_per_100_papers), ...then);
    this.up = niceAxis(1.6 * most, 4);
  }

  draw() {
    if (!this.dial.points.length) return;
    const focused = document.activeElement === this.handle;
    this.scale();
    this.chart.setAttribute("viewBox", `0 0 ${this.width} ${this.height}`);
    this.chart.replaceChildren(
      ...this.axes(),
      ...this.legend(),
      ...this.curve(),
      ...this.before(),
      ...this.ranges(),
      ...this.marks(),
      this.place(),
    );
    if (focused) this.handle.focus();
  }

  /** What the bars on the axis mean, in the corner that is always empty. */
  legend() {
    return ["proven", "expected"].flatMap((state, row) => {
      const y = TOP + 10 + 16 * row;
      const x = this.width - RIGHT - 132;
      return [
        svg("line", { class: `range ${state}`, x1: x, x2: x + 24, y1: y - 4, y2: y - 4 }),
        text(`promise ${state}`, { class: "point-name", x: x + 32, y }),
      ];
    });
  }

  axes() {
    const parts = [];
    const floor = this.height - BOTTOM;
    let labelled = -Infinity;
    for (const minutes of [0, ...ROUND.filter((one) => one <= this.most)]) {
      const x = this.x(minutes);
      if (x - labelled < 30) continue;
      labelled = x;
      parts.push(svg("line", { class: "grid", x1: x, x2: x, y1: TOP, y2: floor }));
      parts.push(text(minutes.toLocaleString("en"), { class: "tick", x, y: floor + 17, "text-anchor": "middle" }));
    }
    for (let wrong = 0; wrong <= this.up.top + 1e-9; wrong += this.up.step) {
      const y = this.y(wrong);
      parts.push(svg("line", { class: "grid", x1: LEFT, x2: this.width - RIGHT, y1: y, y2: y }));
      parts.push(text(wrong.toLocaleString("en"), { class: "tick", x: LEFT - 6, y: y + 4, "text-anchor": "end" }));
    }
    const middle = (TOP + floor) / 2;
    parts.push(
      text(this.words.x_axis, {
        class: "axis-title",
        x: (LEFT + this.width - RIGHT) / 2,
        y: this.height - 6,
        "text-anchor": "middle",
      }),
      text(this.words.y_axis, {
        class: "axis-title",
        transform: `translate(12 ${middle}) rotate(-90)`,
        "text-anchor": "middle",
      }),
    );
    return parts;
  }

  curve() {
    const { points } = this.dial;
    const at = (minutes, wrong) => `${this.x(minutes).toFixed(1)},${this.y(wrong).toFixed(1)}`;
    const line = points.map((point) => at(point.minutes_per_100_papers, point.wrong_per_1000));
    const upper = points.map((point) => at(point.minutes_per_100_papers, point.wrong_per_1000_upper));
    return [
      svg("polygon", { class: "band", points: [...line, ...upper.toReversed()].join(" ") }),
      svg("polyline", { class: "bound", points: upper.join(" ") }),
      svg("polyline", { class: "line", points: line.join(" ") }),
    ];
  }

  /** The frontier as it was when an earlier policy was published, and where that stood. */
  before() {
    if (!this.then) return [];
    const line = this.then.points.map(
      ([minutes, wrong]) => `${this.x(minutes).toFixed(1)},${this.y(wrong).toFixed(1)}`,
    );
    const [x, y] = [this.x(this.then.point[0]), this.y(this.then.point[1])];
    return [
      svg("polyline", { class: "line then", points: line.join(" ") }),
      svg("path", { class: "now then", d: `M${x} ${y - 6}l6 6l-6 6l-6 -6z` }),
      ...this.label(this.then.name, x, y, 1),
    ];
  }

  /** Under the curve, where the promise is proven and where it is expected. */
  ranges() {
    const { points, ranges } = this.dial;
    const y = this.height - BOTTOM;
    return ranges
      .filter(([state]) => state === "proven" || state === "expected")
      .map(([state, first, last]) => {
        const from = this.x(points[last].minutes_per_100_papers);
        const to = this.x(points[first].minutes_per_100_papers);
        const bar = svg("line", { class: `range ${state}`, x1: from, x2: Math.max(to, from + 3), y1: y, y2: y });
        bar.append(titled(`Here the promise is ${state}.`));
        return bar;
      });
  }

  marks() {
    const { points, proposed, now } = this.dial;
    const parts = [];
    if (now) {
      const [x, y] = [this.x(now.minutes_per_100_papers), this.y(now.wrong_per_1000)];
      parts.push(svg("path", { class: "now", d: `M${x} ${y - 7}l7 7l-7 7l-7 -7z` }));
      parts.push(...this.label("in force", x, y, -1));
    }
    if (proposed !== null) {
      const point = points[proposed];
      const [x, y] = [this.x(point.minutes_per_100_papers), this.y(point.wrong_per_1000)];
      parts.push(svg("circle", { class: "proposed", cx: x, cy: y, r: 8 }), ...this.label("proposed", x, y, 1));
    }
    return parts;
  }

  /** Words beside a point, above the line where review grows, to the side where there is room. */
  label(words, x, y, side) {
    const right = side > 0 ? x < this.width - 90 : x < 110;
    const under = y + 18 < this.height - BOTTOM - 8;
    const below = under ? 18 : -24; // at the axis there is room above alone, over the other name
    const place = {
      x: right ? x + 11 : x - 11,
      y: y + (side > 0 ? -9 : below),
      "text-anchor": right ? "start" : "end",
    };
    return [text(words, { class: "point-name", ...place })];
  }

  place() {
    const { point } = this.dial;
    const [x, y] = [this.x(point.minutes_per_100_papers), this.y(point.wrong_per_1000)];
    const minutes = minutesSaid(point.minutes_per_100_papers);
    const said = `${minutes} minutes per 100 ${this.words.unit}, ${point.wrong_per_1000.toFixed(1)} wrong in 1,000`;
    this.handle.setAttribute("aria-valuenow", minutes);
    this.handle.setAttribute("aria-valuetext", said);
    this.handle.setAttribute("aria-valuemin", "0");
    this.handle.setAttribute("aria-valuemax", this.most.toFixed(0));
    this.handle.replaceChildren(
      svg("line", { class: "plumb", x1: x, x2: x, y1: y, y2: this.height - BOTTOM }),
      svg("circle", { class: "knob", cx: x, cy: y, r: 6 }),
      titled(said),
    );
    return this.handle;
  }
}

function text(words, attributes) {
  const element = svg("text", attributes);
  element.textContent = words;
  return element;
}

function titled(words) {
  const element = svg("title");
  element.textContent = words;
  return element;
}
