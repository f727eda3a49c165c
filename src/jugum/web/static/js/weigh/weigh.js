// Weigh: each field a balance. The server computes what follows; this draws marks and moves thresholds.

import { call } from "../frame/server.js";
import { setKeys } from "../frame/keys.js";
import { logOdds, svg } from "../frame/beam.js";
import { tell } from "../frame/dialogs.js";

const LOW = logOdds(0.01);
const HIGH = logOdds(0.995);
const LABEL_WIDTH = 36; // pixels
const TICKS = [0.01, 0.1, 0.5, 0.8, 0.9, 0.95, 0.98, 0.995];
const LINE = 40;
const HEIGHT = 70;

const root = document.getElementById("weigh");
const points = JSON.parse(root.dataset.points);
const gate = document.getElementById("gate");
const thresholds = {};

class Balance {
  constructor(section) {
    this.section = section;
    this.key = section.dataset.key;
    this.axis = section.querySelector(".axis");
    this.follows = section.querySelector("[data-follows]");
    this.proposed = Number(section.dataset.proposed);
    thresholds[this.key] = Number(section.dataset.threshold);
    this.handle = this.makeHandle();
    new ResizeObserver(() => this.draw()).observe(this.axis);
  }

  get threshold() {
    return thresholds[this.key];
  }

  makeHandle() {
    const name = this.section.getAttribute("aria-label");
    const handle = svg("g", {
      class: "threshold",
      tabindex: 0,
      role: "slider",
      "aria-label": `Threshold of ${name}, per cent`,
      "aria-valuemin": 1,
      "aria-valuemax": 99.5,
    });
    handle.addEventListener("keydown", (event) => {
      const step = { ArrowLeft: -0.01, ArrowRight: 0.01, PageDown: -0.05, PageUp: 0.05 }[event.key];
      if (step) {
        event.preventDefault();
        this.set(this.threshold + (this.threshold >= 0.97 && Math.abs(step) < 0.02 ? step / 2 : step));
      }
    });
    handle.addEventListener("pointerdown", (event) => {
      event.preventDefault();
      handle.focus();
      handle.setPointerCapture(event.pointerId);
    });
    handle.addEventListener("pointermove", (event) => {
      if (handle.hasPointerCapture(event.pointerId)) this.set(this.at(event.clientX));
    });
    return handle;
  }

  x(probability) {
    const share = (Math.min(HIGH, Math.max(LOW, logOdds(probability))) - LOW) / (HIGH - LOW);
    return 8 + share * (this.width - 16);
  }

  at(clientX) {
    const share = (clientX - this.axis.getBoundingClientRect().left - 8) / (this.width - 16);
    return 1 / (1 + Math.exp(-(LOW + Math.min(1, Math.max(0, share)) * (HIGH - LOW))));
  }

  set(value, quiet = false) {
    thresholds[this.key] = Math.min(0.995, Math.max(0.01, Math.round(value * 1000) / 1000));
    this.draw();
    if (!quiet) askWhatFollows();
  }

  draw() {
    this.width = this.axis.clientWidth || 620;
    this.axis.setAttribute("viewBox", `0 0 ${this.width} ${HEIGHT}`);
    const focused = document.activeElement === this.handle;
    const parts = [svg("line", { class: "ground", x1: 4, x2: this.width - 4, y1: LINE, y2: LINE })];
    let labelled = -Infinity;
    for (const tick of TICKS) {
      parts.push(svg("line", { class: "ground", x1: this.x(tick), x2: this.x(tick), y1: LINE - 2, y2: LINE + 2 }));
      if (this.x(tick) - labelled < LABEL_WIDTH) continue; // a narrow axis has no room for each
      labelled = this.x(tick);
      const label = svg("text", { class: "tick", x: this.x(tick), y: HEIGHT - 3 });
      label.textContent = `${tick * 100} %`;
      parts.push(label);
    }
    parts.push(...this.marks());
    this.axis.replaceChildren(...parts, this.place());
    if (focused) this.handle.focus();
  }

  // Marks stack where they would hide each other: ticks upwards, diamonds downwards.
  marks() {
    const stacks = {};
    const minimum = Number(gate.value) / 100;
    return points[this.key].map(([confidence, layout_similarity, right, unseen, , found, expected, counted]) => {
      const x = Math.round(this.x(confidence) / 4) * 4;
      const level = (stacks[`${x}${right}`] = (stacks[`${x}${right}`] || 0) + 1) - 1;
      const passes = confidence >= this.threshold && layout_similarity >= minimum;
      const kind = `${passes ? "passes" : "held"}${unseen || !counted ? " not-counted" : ""}`;
      const mark = right
        ? svg("path", { class: `mark right ${kind}`, d: `M${x} ${LINE - 4 - (level % 5) * 5.5}v-4` })
        : svg("path", { class: `mark wrong ${kind}`, d: `M${x} ${LINE + 4 + (level % 2) * 8}l4 4l-4 4l-4 -4z` });
      const title = svg("title");
      const why = `${unseen ? " (new layout)" : ""}${counted ? "" : " (looked at because it was held)"}`;
      const answer = `found ${found || "nothing"}, expected ${expected || "nothing"}${why}`;
      title.textContent = `${(confidence * 100).toFixed(1)} %, ${right ? "right" : "wrong"}: ${answer}`;
      mark.append(title);
      return mark;
    });
  }

  place() {
    const x = this.x(this.threshold);
    const said = `${(this.threshold * 100).toFixed(1)}`;
    this.handle.setAttribute("aria-valuenow", said);
    this.handle.setAttribute("aria-valuetext", `${said} %`);
    const roomRight = x < this.width - 60;
    const label = svg("text", { x: roomRight ? x + 8 : x - 8, y: 10, "text-anchor": roomRight ? "start" : "end" });
    label.textContent = `${said} %`;
    this.handle.replaceChildren(
      svg("rect", { x: x - 9, y: 0, width: 18, height: HEIGHT - 14, fill: "transparent" }),
      svg("line", { x1: x, x2: x, y1: 8, y2: LINE + 14 }),
      svg("polygon", { points: `${x},9 ${x - 5},2 ${x + 5},2` }),
      label,
    );
    return this.handle;
  }

  show(outcome) {
    const bold = (text) => {
      const b = document.createElement("b");
      b.textContent = text;
      return b;
    };
    const passing = `${(outcome.passing_share * 100).toFixed(0)} %`;
    const line = document.createElement("div");
    line.append(bold(passing), ` of ${outcome.total} pass, `, bold(String(outcome.wrong)), " wrong");
    const bound = document.createElement("div");
    bound.className = "quiet";
    bound.textContent = outcome.passing
      ? `at most ${(outcome.error_upper * 100).toFixed(1)} % wrong, 95 % sure`
      : "no value passes";
    this.follows.replaceChildren(line, bound);
  }
}

const balances = [...document.querySelectorAll(".balance")].map((section) => new Balance(section));

const most = /** @type {HTMLSelectElement} */ (document.getElementById("error-most"));
most.addEventListener("change", askWhatFollows);

let timer = 0;
let asked = 0;
function askWhatFollows() {
  clearTimeout(timer);
  timer = setTimeout(async () => {
    const mine = (asked += 1);
    const body = {
      thresholds,
      layout_similarity_min: Math.min(1, Math.max(0, Number(gate.value) / 100)),
      error_most: Number(most.value),
    };
    const found = await call("POST", `/api/v1/types/${root.dataset.type}/what-follows`, body).catch(() => null);
    if (!found || mine !== asked) return;
    for (const balance of balances) balance.show(found[balance.key]);
    const all = found[""];
    document.querySelector("[data-title]").textContent = all.summary;
    document.querySelector("[data-promise]").textContent = all.promise;
  }, 60);
}

gate.addEventListener("input", () => {
  balances.forEach((balance) => balance.draw());
  askWhatFollows();
});
document.querySelector("[data-propose]").addEventListener("click", async () => {
  const share = most.value;
  const view = await call("GET", `/api/v1/types/${root.dataset.type}/weigh?error_most=${share}`).catch((error) =>
    tell("Nothing is proposed", error.message),
  );
  if (!view?.balances) return;
  gate.value = Math.round(view.layout_similarity_proposed * 100);
  for (const one of view.balances) balances.find((balance) => balance.key === one.key)?.set(one.proposed, true);
  askWhatFollows();
});
document.getElementById("save-policy")?.addEventListener("submit", async (event) => {
  event.preventDefault();
  const body = {
    thresholds,
    layout_similarity_min: Number(gate.value) / 100,
    note: document.getElementById("note").value,
  };
  await call("POST", `/api/v1/types/${root.dataset.type}/policies`, body).then(
    () => location.reload(),
    (error) => tell("The policy was not saved", error.message),
  );
});
let at = -1;
const walk = (by) => {
  at = Math.max(0, Math.min(balances.length - 1, at + by));
  balances[at].handle.focus();
};
setKeys({ j: () => walk(1), k: () => walk(-1) });
askWhatFollows();
