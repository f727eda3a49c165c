// What Weigh shows, without a page: where the dial stands, and what follows for all fields and for each.

/**
 * @typedef {{setting: number | null, thresholds: Record<string, number>, outcome: any, minutes_per_100_papers: number,
 *   wrong_per_1000: number, wrong_per_1000_upper: number, promise: string, said: string, summary: string}} Point
 * @typedef {{key: string, name: string, threshold: number | null, total: number, thin: boolean,
 *   decisions_a_paper: number, along: [number, number, number, number, number][]}} Field
 */

const SAME = 1e-6; // thresholds are kept to four digits

export class Dial {
  /** @param {any} view what the server says of a type (GET …/weigh) */
  constructor(view) {
    this.grid = view.grid;
    /** @type {Record<string, Field>} */
    this.fields = Object.fromEntries(view.balances.map((field) => [field.key, field]));
    this.fieldSeconds = view.frontier.field_seconds;
    this.policy = view.policy;
    this.inShares = "judged" in view; // what was judged counts as it comes in: numbers of it would say nothing
    this.dial = structuredClone(view.dial);
    this.take(view.frontier);
    this.place = this.first();
  }

  /** Another frontier: the dial stays where it is, as near as there is a setting. */
  take(frontier) {
    const before = this.points?.[this.place]?.setting ?? null;
    /** @type {Point[]} */
    this.points = frontier.points;
    this.proposed = frontier.proposed;
    /** @type {Point | null} */
    this.now = frontier.now;
    this.place = before === null ? 0 : this.nearestSetting(before);
  }

  get point() {
    return this.points[this.place];
  }

  /** Where the dial begins: at the policy in force, where it is a point of the frontier, else at what is proposed. */
  first() {
    if (this.now) {
      const found = this.points.findIndex((point) => sameThresholds(point.thresholds, this.now.thresholds));
      if (found >= 0) return found;
    }
    return this.proposed ?? 0;
  }

  moveTo(place) {
    this.place = Math.max(0, Math.min(this.points.length - 1, place));
  }

  propose() {
    this.moveTo(this.proposed ?? 0);
  }

  nearestSetting(setting) {
    return nearest(this.points, (point) => Math.abs(Math.log((point.setting + 1e-4) / (setting + 1e-4))));
  }

  nearestMinutes(minutes) {
    return nearest(this.points, (point) => Math.abs(point.minutes_per_100_papers - minutes));
  }

  /** The threshold of a field now; null of one that is always held. */
  threshold(key) {
    return this.point.thresholds[key] ?? null;
  }

  /** The place in the grid of thresholds that is nearest to one. */
  gridPlace(threshold) {
    return nearest(this.grid, (one) => Math.abs(one - threshold));
  }

  /** What follows for a field at its threshold: how many pass, how many of these are wrong, the bound, the shares that
   * pass and that of these are wrong, and minutes of review per 100 papers that its held values take. */
  follows(key) {
    const field = this.fields[key];
    const threshold = this.threshold(key);
    const [passing, wrong, bound, share, error] =
      threshold === null ? [0, 0, 1, 0, 0] : field.along[this.gridPlace(threshold)];
    const minutes = ((1 - share) * field.decisions_a_paper * this.fieldSeconds * 100) / 60;
    return { passing, wrong, bound, share, error, minutes };
  }

  /** Whether what is shown is the policy in force. */
  get isInForce() {
    return this.now !== null && sameThresholds(this.point.thresholds, this.now.thresholds);
  }

  /** The rule of a field, as its list of rules says it. */
  rule(key) {
    if (this.dial.always_held.includes(key)) return "held";
    if (key in this.dial.pinned) return "pinned";
    return key in this.dial.weights ? String(this.dial.weights[key]) : "";
  }

  setRule(key, rule) {
    const here = this.threshold(key) ?? 1;
    this.dial.always_held = this.dial.always_held.filter((one) => one !== key);
    delete this.dial.pinned[key];
    delete this.dial.weights[key];
    if (rule === "held") this.dial.always_held.push(key);
    else if (rule === "pinned") this.dial.pinned[key] = here;
    else if (rule) this.dial.weights[key] = Number(rule);
  }

  /** A threshold set by hand stays, whatever the dial does. */
  pin(key, threshold) {
    this.setRule(key, "");
    this.dial.pinned[key] = this.grid[this.gridPlace(threshold)];
    this.point.thresholds = { ...this.point.thresholds, [key]: this.dial.pinned[key] };
  }

  /** Keys of fields in an order. */
  order(by) {
    const keys = Object.keys(this.fields);
    if (by !== "review") return keys;
    return keys.sort((one, other) => this.follows(other).minutes - this.follows(one).minutes);
  }

  /** Ranges of the frontier by how the promise stands there: [state, first place, last place]. */
  get ranges() {
    const found = [];
    this.points.forEach((point, place) => {
      const last = found.at(-1);
      if (last?.[0] === point.promise) last[2] = place;
      else found.push([point.promise, place, place]);
    });
    return found;
  }
}

export function sameThresholds(one, other) {
  const keys = Object.keys(one);
  return (
    keys.length === Object.keys(other).length &&
    keys.every((key) => key in other && Math.abs(one[key] - other[key]) < SAME)
  );
}

/** Minutes in words, few ones with a decimal: half a minute is not none. */
export const minutesSaid = (minutes) => minutes.toFixed(minutes >= 10 || minutes === 0 ? 0 : 1);

/** The place of what is least far. */
export function nearest(values, far) {
  let best = 0;
  values.forEach((value, place) => {
    if (far(value) < far(values[best])) best = place;
  });
  return best;
}

/** The top of an axis that shows a value, and the step of its ticks: 1, 2 or 5 times a power of ten. */
export function niceAxis(most, ticks = 5) {
  const rough = Math.max(most, 1e-9) / ticks;
  const power = 10 ** Math.floor(Math.log10(rough));
  const step = [1, 2, 5, 10].map((one) => one * power).find((one) => one >= rough * 0.999);
  return { top: Math.ceil(most / step - 1e-9) * step, step };
}
