// Weigh: the dial on its frontier, the three ways to set it, a balance for each field, and the policy that comes of it.

import { call } from "../frame/server.js";
import { setKeys } from "../frame/keys.js";
import { whenReleased } from "../frame/press.js";
import { tell } from "../frame/dialogs.js";
import { Axis, Balance } from "./balances.js";
import { FrontierChart } from "./frontier.js";
import { Dial } from "./model.js";
import { showMark } from "./mark_card.js";
import { showTrial } from "./trial.js";
import { Ways } from "./ways.js";

const root = document.getElementById("weigh");
const api = root.dataset.api;
const words = JSON.parse(root.dataset.words);
const view = JSON.parse(root.dataset.view);
const marks = JSON.parse(root.dataset.marks);
const dial = new Dial(view);
const gate = /** @type {HTMLInputElement | null} */ (document.getElementById("gate")); // of fields only
if (gate) gate.value = String(Math.round(view.layout_similarity_min * 100));
const similarityMin = () => (gate ? Math.min(1, Math.max(0, Number(gate.value) / 100)) : 0);
const similarity = () => (gate ? { layout_similarity_min: similarityMin() } : {});

const chart = new FrontierChart(root.querySelector(".frontier svg"), dial, words, show);
const ways = new Ways(/** @type {HTMLFormElement} */ (document.getElementById("ways")), dial, view, words.unit, () => {
  refresh().then(() => {
    dial.propose();
    draw();
  });
});
const balances = [.../** @type {NodeListOf<HTMLElement>} */ (root.querySelectorAll(".balance"))].map(
  (section) =>
    new Balance(section, marks[section.dataset.key], dial, {
      gate: similarityMin,
      pinned: () => later(),
      ruled: (key, rule) => {
        dial.setRule(key, rule);
        later();
      },
      picked: (balance, place) => showMark(api, balance, place),
    }),
);

/** What is shown follows the dial. */
function show() {
  root.querySelector("[data-said]").textContent = dial.point.said;
  root.querySelector("[data-summary]").textContent = `${dial.point.summary}.`;
  root.classList.toggle("in-force", dial.isInForce);
  balances.forEach((balance) => balance.draw());
  ways.show();
}

function draw() {
  chart.draw();
  show();
}

let asked = 0;
/** The frontier by the settings that are given now. */
async function refresh() {
  const mine = (asked += 1);
  const body = { ...dial.dial, ...similarity() };
  const found = await call("POST", `${api}/frontier`, body).catch((error) => ({ error }));
  if (mine !== asked) return;
  ways.tell(found.error?.message ?? "");
  if (!found.error) dial.take(found);
}

let timer = 0;
function later() {
  clearTimeout(timer);
  timer = setTimeout(() => {
    timer = 0;
    refresh().then(() => whenReleased(draw));
  }, 60);
}

gate?.addEventListener("input", later);
root.querySelector("[data-propose]").addEventListener("click", () => {
  dial.propose();
  draw();
});

const sort = /** @type {HTMLSelectElement | null} */ (document.getElementById("sort"));
sort?.addEventListener("change", () => {
  for (const key of dial.order(sort.value)) {
    root.querySelector(".balances").append(balances.find((balance) => balance.key === key).section);
  }
});

const head = /** @type {SVGSVGElement} */ (root.querySelector(".axis-head"));
new ResizeObserver(() => {
  head.setAttribute("viewBox", `0 0 ${head.clientWidth} 16`);
  head.replaceChildren(...new Axis(head.clientWidth).heads());
}).observe(head);

/** What is shown, as the server takes it. */
const shown = () => ({
  thresholds: { ...Object.fromEntries(Object.keys(dial.fields).map((key) => [key, 1])), ...dial.point.thresholds },
  ...similarity(),
  always_held: dial.dial.always_held,
  error_most: dial.dial.error_most,
});
document.getElementById("try").addEventListener("click", () => showTrial(api, words, { ...shown(), dial: dial.dial }));
document.getElementById("publish")?.addEventListener("click", async (event) => {
  event.preventDefault();
  if (timer) await refresh(); // what was just changed is published, too
  const body = {
    ...shown(),
    dial: dial.dial,
    note: /** @type {HTMLInputElement} */ (document.getElementById("note")).value,
  };
  await call("POST", `${api}/policies`, body).then(
    () => location.reload(),
    (error) => tell("The policy was not published", error.message),
  );
});

const earlier = /** @type {NodeListOf<HTMLElement>} */ (root.querySelectorAll("[data-then]"));
for (const button of earlier) {
  button.addEventListener("click", () => {
    const shows = button.getAttribute("aria-pressed") !== "true";
    for (const other of earlier) other.setAttribute("aria-pressed", String(shows && other === button));
    const { then, frontier, point } = button.dataset;
    chart.then = shows ? { name: `policy ${then}`, points: JSON.parse(frontier), point: JSON.parse(point) } : null;
    chart.draw();
    if (shows) chart.chart.scrollIntoView({ block: "center" });
  });
}

let at = -1;
const rows = () =>
  [...root.querySelectorAll(".balance")].map((section) => balances.find((one) => one.section === section));
const walk = (by) => {
  at = Math.max(0, Math.min(balances.length - 1, at + by));
  rows()[at].handle.focus();
};
const turn = (by) => {
  chart.to(dial.place + by);
  return true;
};
setKeys({
  j: () => walk(1),
  k: () => walk(-1),
  d: () => chart.handle.focus(),
  t: () => document.getElementById("try").click(),
  Escape: () => (document.getElementById("mark-card").hidden = true),
  // Only where nothing has the focus: a slider and the three ways have these keys themselves.
  ArrowLeft: (event) => event.target === document.body && turn(1),
  ArrowRight: (event) => event.target === document.body && turn(-1),
});
draw();
