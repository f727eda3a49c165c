// The three ways to set the dial, and what is proposed.

import { minutesSaid } from "./model.js";

const NUMBERS = ["hours_a_week", "papers_a_week", "wrong_value_cost", "review_hour_cost"];

export class Ways {
  /** @param {HTMLFormElement} form
   * @param {import("./model.js").Dial} dial
   * @param {any} view
   * @param {string} unit what comes in: papers, bundles
   * @param {() => void} changed */
  constructor(form, dial, view, unit, changed) {
    this.form = form;
    this.dial = dial;
    this.unit = unit;
    this.fill(view);
    form.addEventListener("submit", (event) => event.preventDefault());
    form.addEventListener("input", (event) => {
      const input = /** @type {HTMLInputElement} */ (event.target);
      if (!input.name) return;
      this.read();
      this.showWay();
      clearTimeout(this.timer);
      this.timer = setTimeout(changed, 120);
    });
  }

  input(name) {
    return /** @type {HTMLInputElement} */ (this.form.elements.namedItem(name));
  }

  get worth() {
    return this.input("opens_when_worth");
  }

  fill(view) {
    const settings = this.dial.dial;
    this.input("way").value = settings.way;
    const shares = /** @type {HTMLSelectElement} */ (this.form.elements.namedItem("error_most"));
    if (![...shares.options].some((option) => Number(option.value) === settings.error_most)) {
      shares.add(new Option(`${settings.error_most * 100} %`, String(settings.error_most)));
    }
    shares.value = String(settings.error_most);
    this.input("proven").value = settings.proven ? "1" : "";
    for (const name of NUMBERS) this.input(name).value = String(settings[name] ?? "");
    this.worth.checked = !settings.opens_always;
    this.input("papers_a_week").placeholder = `${Math.round(view.frontier.papers_a_week)}`;
    this.showWay();
  }

  read() {
    const settings = this.dial.dial;
    settings.way = this.input("way").value;
    settings.error_most = Number(this.input("error_most").value);
    settings.proven = this.input("proven").value === "1";
    settings.opens_always = !this.worth.checked;
    for (const name of NUMBERS) {
      const said = this.input(name).value;
      if (said !== "") settings[name] = Number(said);
      else if (name === "papers_a_week") settings[name] = null;
    }
  }

  showWay() {
    for (const part of /** @type {NodeListOf<HTMLElement>} */ (this.form.querySelectorAll("[data-way]"))) {
      part.hidden = part.dataset.way !== this.dial.dial.way;
    }
  }

  tell(problem) {
    this.problem = problem;
  }

  /** What is proposed, and whether the dial stands there. */
  show() {
    const { proposed, points, place, isInForce } = this.dial;
    const said = this.form.querySelector("[data-proposal]");
    const button = /** @type {HTMLButtonElement} */ (this.form.querySelector("[data-propose]"));
    button.hidden = Boolean(this.problem) || proposed === null || proposed === place;
    if (this.problem) {
      said.textContent = this.problem;
      return;
    }
    if (proposed === null) {
      said.textContent = "No setting keeps this promise on the evidence there is.";
      return;
    }
    const { minutes_per_100_papers: minutes, wrong_per_1000: wrong } = points[proposed];
    const what = `${minutesSaid(minutes)} min per 100 ${this.unit}, ${wrong.toFixed(1)} wrong in 1,000`;
    const here = proposed === place ? "The dial stands here, as proposed" : "Proposed";
    const inForce = proposed === place && isInForce ? " and is in force" : "";
    said.textContent = `${here}${inForce}: ${what}.`;
  }
}
