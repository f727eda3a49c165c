// Proposals: fields that the sample has and the plan does not have yet, taken or dropped by one key each.

import { call } from "../frame/server.js";
import { ask, tell } from "../frame/dialogs.js";
import { element } from "../desk/notes.js";
import { empty, head, kindOf, many, quiet, shortened } from "./lists.js";

const TYPES = ["text", "name", "identifier", "money", "number", "date", "percent", "address", "choice", "tick box"];

export class Proposals {
  /**
   * @param {any} plan the view's plan: type, number, may, sample, act(change), draw(), status(text)
   * @param {HTMLElement} holder
   * @param {HTMLElement} words
   */
  constructor(plan, holder, words) {
    this.plan = plan;
    this.holder = holder;
    this.words = words;
    /** @type {any[] | null} null: not asked for yet */
    this.all = null;
    /** @type {any[]} those a person dropped */
    this.dropped = [];
    this.at = 0;
  }

  get count() {
    return this.all ? this.all.length : "";
  }

  get chosen() {
    return this.all?.[this.at];
  }

  forget() {
    this.all = null;
  }

  async load() {
    const { plan } = this;
    const sample = plan.sample.id;
    if (!sample) {
      this.all = [];
      plan.draw();
      return;
    }
    this.words.textContent = "Searching the sample …";
    const got = await call(
      "GET",
      `/api/v1/types/${plan.type}/sample/${sample}/proposals?page=${plan.sample.page}`,
    ).catch((error) => {
      plan.status(error.message);
      return [];
    });
    if (sample !== plan.sample.id) return;
    this.words.textContent = got.length
      ? `This sample has ${many(got.length, "field", "fields")} that the plan does not have yet.`
      : "This sample has no field that the plan does not have.";
    this.put(got);
  }

  /** Names of the proposals that were dropped for this type, on whichever sample. */
  get droppedNames() {
    return new Set(JSON.parse(localStorage.getItem(`jugum-dropped-${this.plan.type}`) || "[]"));
  }

  keepDropped(names) {
    localStorage.setItem(`jugum-dropped-${this.plan.type}`, JSON.stringify([...names]));
  }

  put(all) {
    const names = this.droppedNames;
    this.all = all.filter((proposal) => !names.has(proposal.field.name));
    this.dropped = all.filter((proposal) => names.has(proposal.field.name));
    this.at = 0;
    this.plan.draw();
    this.walk(0);
  }

  draw() {
    if (!this.all) {
      this.holder.replaceChildren(); // the words above say that the sample is being searched
      return;
    }
    if (!this.all.length) {
      this.holder.replaceChildren(
        empty("Nothing to propose", "Go to another sample with [ and ], or draw a box to make a table of a region."),
        ...this.droppedList(),
      );
      return;
    }
    const table = element("table", "rows plan-proposals");
    const body = element("tbody");
    body.append(...this.all.map((proposal, at) => this.row(proposal, at)));
    table.append(head([["Proposed"], ["As"], ["On this sample"], [""]]), body);
    this.holder.replaceChildren(table, ...this.droppedList());
  }

  /** What was dropped, to be taken back. */
  droppedList() {
    if (!this.dropped.length) return [];
    const list = element("details", "more px-3 py-2");
    list.append(element("summary", "", `${many(this.dropped.length, "proposal was", "proposals were")} dropped`));
    for (const proposal of this.dropped) {
      const line = element("div", "d-flex gap-3 align-items-baseline");
      line.append(
        element("span", "", proposal.field.name),
        element("span", "mono small quiet", shortened(proposal.example, 34)),
      );
      if (this.plan.may)
        line.append(quiet("Take back", () => this.takeBack(proposal), `Take back ${proposal.field.name}`));
      list.append(line);
    }
    return [list];
  }

  takeBack(proposal) {
    const names = this.droppedNames;
    names.delete(proposal.field.name);
    this.keepDropped(names);
    this.put([...this.all, ...this.dropped]);
  }

  row(proposal, at) {
    const row = element("tr", at === this.at ? "at" : "");
    const name = element("td");
    const columns = proposal.columns.map((column) => column.name).join(" · ");
    name.append(element("b", "", proposal.field.name), element("span", "quiet small d-block", columns || proposal.why));
    const acts = element("td", "text-nowrap");
    if (this.plan.may)
      acts.append(
        quiet("Add", () => this.take(at), `Add ${proposal.field.name}`),
        quiet("Drop", () => this.drop(at), `Drop ${proposal.field.name}`),
      );
    const example = element("td", "mono found-cell", shortened(proposal.example, 34));
    example.title = proposal.example;
    row.append(name, element("td", "", kindOf(proposal.field)), example, acts);
    row.addEventListener("click", () => {
      this.at = at;
      this.walk(0);
    });
    return row;
  }

  walk(by) {
    if (!this.all?.length) {
      this.plan.sample.propose(null);
      return;
    }
    this.at = Math.max(0, Math.min(this.all.length - 1, this.at + by));
    this.draw();
    this.holder.querySelector("tr.at")?.scrollIntoView({ block: "nearest" });
    this.plan.sample.propose({ page: this.chosen.page, box: this.chosen.box });
  }

  async take(at, name = "") {
    const proposal = this.all[at];
    if (!proposal) return;
    const { key, ...field } = proposal.field;
    const columns = proposal.columns.map(({ key: own, inside, ...column }) => column);
    const given = { ...field, name: name || field.name, columns, number: this.plan.number };
    if (await this.plan.act(() => call("POST", `/api/v1/types/${this.plan.type}/fields`, given))) this.remove(at);
  }

  async rename() {
    const proposal = this.chosen;
    const name = proposal && (await ask({ title: "Name of the field", verb: "Add field", input: proposal.field.name }));
    if (name) await this.take(this.at, name);
  }

  retype() {
    const { field } = this.chosen || {};
    if (!field || (field.kind && field.kind !== "value")) return;
    const usable = TYPES.filter((type) => type !== "choice" || field.options?.length);
    field.data_type = usable[(usable.indexOf(field.data_type || "text") + 1) % usable.length];
    this.draw();
  }

  drop(at) {
    const proposal = this.all[at];
    if (!proposal) return;
    this.keepDropped(this.droppedNames.add(proposal.field.name));
    this.dropped.push(proposal);
    this.remove(at);
  }

  remove(at) {
    this.all.splice(at, 1);
    this.at = Math.min(this.at, this.all.length - 1);
    this.plan.draw();
    this.walk(0);
  }

  async sweepTable() {
    const { plan } = this;
    plan.status("Draw a box around the rows of the table on the sample.");
    const place = await plan.sample.sweep();
    plan.status("");
    if (!place) {
      plan.sample.propose(null);
      return;
    }
    try {
      const made = await call("POST", `/api/v1/documents/${plan.sample.id}/table-proposal`, place);
      this.put([made, ...(this.all || [])]);
    } catch (error) {
      tell("The table was not made", error.message);
    }
  }
}
