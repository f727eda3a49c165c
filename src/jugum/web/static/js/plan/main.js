// Plan: fields, checks and proposals beside a living sample. One object keeps the plan and draws its lists.

import { whenReleased } from "../frame/press.js";
import Alpine from "../../vendor/alpine.js";
import { call } from "../frame/server.js";
import { setKeys } from "../frame/keys.js";
import { ask, tell } from "../frame/dialogs.js";
import { element } from "../desk/notes.js";
import { completing } from "./complete.js";
import { copyType, importPlan, listForm } from "./files.js";
import { defineForms } from "./forms.js";
import { about, empty, groupRow, head, many, quiet, shortened } from "./lists.js";
import { Proposals } from "./proposals.js";
import { Sample } from "./sample.js";

const root = document.getElementById("plan");
const part = (name) => root.querySelector(`[data-${name}]`);

const plan = {
  ...JSON.parse(root.dataset.plan),
  type: root.dataset.type,
  tab: "fields",
  at: null,

  field(key) {
    return this.fields.find((one) => one.key === key);
  },
  top() {
    return this.fields.filter((one) => !one.key.includes("."));
  },

  get orderWord() {
    const { papers, ambiguous, either, is_month_first, month_first, day_first } = this.order;
    if (!papers) return "No paper has been read to learn it from.";
    if (ambiguous) {
      const dates = `${many(either, "date", "dates")} on ${many(papers, "paper", "papers")}`;
      return `${dates} can be read both ways, and none decides it: day first is used.`;
    }
    const strange = "A paper whose own dates show another order is read by that.";
    if (is_month_first) return `Month first, as ${many(month_first, "date shows", "dates show")}. ${strange}`;
    return day_first
      ? `Day first, as ${many(day_first, "date shows", "dates show")}. ${strange}`
      : "No date on the papers can be read both ways.";
  },

  // ---- Lists ----

  draw() {
    const count = this.top().length;
    const type = document.querySelector("#type-choice option:checked").textContent.toLowerCase();
    if (count) part("title").textContent = `${many(count, "field is", "fields are")} read from each ${type}`;
    part('count="fields"').textContent = count;
    part('count="checks"').textContent = this.checks.length;
    part('count="proposals"').textContent = this.proposals.count;
    this.drawFields();
    this.drawChecks();
    this.proposals.draw();
    part("inside")?.replaceChildren(
      new Option("nothing: it stands by itself", ""),
      ...this.fields
        .filter(({ kind }) => kind === "table" || kind === "clause")
        .map(({ key, name, kind }) => new Option(`${name} (${kind === "table" ? "a column" : "section"})`, key)),
    );
  },

  drawFields() {
    if (!this.fields.length) {
      part("fields").replaceChildren(
        empty(
          "A plan is a list of fields",
          "Name one value of these papers, its data type, and the words printed beside it. The sample shows at once " +
            "what would be found. Or add what the sample proposes.",
        ),
      );
      return;
    }
    const table = element("table", "rows plan-fields");
    table.append(head([["Field"], ["On this sample"], ["Papers", "num", "Papers with a label for the field"], [""]]));
    const body = element("tbody");
    let group = "";
    for (const field of this.fields) {
      const heading = field.spec.heading || "";
      if (!field.inside && heading !== group) {
        group = heading;
        if (heading) body.append(groupRow(heading));
      }
      body.append(this.fieldRow(field));
    }
    table.append(body);
    const menu = document.getElementById("row-menu")?.dataset.key;
    part("fields").replaceChildren(table);
    // What the sample says may come while a menu is open: it stays open.
    const field = this.fields.find((one) => one.key === menu);
    if (field) this.menu(field, body.querySelector(`tr[data-key="${CSS.escape(field.key)}"] .more`));
  },

  fieldRow(field) {
    const row = element("tr", `plan-row${field.inside ? " inner" : ""}${field.key === this.at ? " at" : ""}`);
    row.dataset.key = field.key;
    const name = element("td");
    name.append(
      element("b", "", field.name),
      element("code", "quiet small", field.key.split(".").pop()),
      element("span", "quiet small", about(field)),
    );
    const value = element("td", "found-cell");
    value.append(this.foundFor(field));
    value.title = value.textContent; // a clause or a column is longer than its cell
    const acts = element("td", "text-nowrap");
    if (this.may)
      acts.append(
        quiet("Edit", () => this.edit(field.key), `Edit ${field.name}`),
        quiet("⋯", (event) => this.menu(field, event.target), `More for ${field.name}`),
      );
    acts.lastElementChild?.classList.add("more");
    row.append(
      name,
      value,
      element("td", "num", field.kind === "derived" || field.key.includes(".") ? "" : String(this.labelled(field))),
      acts,
    );
    row.addEventListener("click", () => this.light(field.key));
    return row;
  },

  // Papers with a label for a field; for a table, with a label in a column.
  labelled(field) {
    return Math.max(
      field.labels,
      ...this.fields.filter((one) => one.inside === field.key && one.key.includes(".")).map((one) => one.labels),
    );
  },

  foundFor(field) {
    const found = this.sample?.of(field.key);
    if (!found) return element("span", "quiet", this.sample?.samples.length ? "…" : "");
    const rows = this.fields.filter((one) => one.inside === field.key && one.key.includes("."));
    if (field.kind === "table") {
      const count = Math.max(0, ...rows.map((one) => this.sample.of(one.key)?.values.length || 0));
      return element("span", count ? "mono" : "quiet", count ? many(count, "row", "rows") : "not found");
    }
    const values = [...found.values.filter(Boolean).map((value) => value.text), ...found.derived];
    if (!values.length) return element("span", "quiet", field.kind === "derived" ? "unknown" : "not found");
    const text = values.join("; ");
    const made = element("span", "mono", shortened(text, 44));
    made.title = text;
    return made;
  },

  drawChecks() {
    part("lists").replaceChildren(
      ...(this.lists.length
        ? this.lists.map((one) => {
            const line = element("p", "mb-1");
            line.append(
              element("code", "", one.name),
              ` ${many(one.entries, "entry", "entries")} · use: `,
              element("code", "quiet", `listed(field, "${one.name}")`),
            );
            return line;
          })
        : [element("p", "quiet mb-1", "None yet.")]),
    );
    if (!this.checks.length) {
      part("checks").replaceChildren(
        empty(
          "A check is a statement that must be true",
          "For example: net_pay < gross_pay. While you write it, it is tested on this sample and on all labelled " +
            "ones. On live papers it holds what does not fit.",
        ),
      );
      return;
    }
    const table = element("table", "rows plan-checks");
    const body = element("tbody");
    body.append(...this.checks.map((check) => this.checkRow(check)));
    table.append(head([["On this sample"], ["Check"], [""]]), body);
    part("checks").replaceChildren(table);
  },

  checkRow(check) {
    const now = this.sample?.found?.checks.find(({ key }) => key === check.key);
    const kind = { fails: "blocks", holds: "passes" }[now?.outcome] || "quiet";
    const title = check.message || check.expression;
    const said = [
      check.severity === "advisory" ? "advisory" : "blocking",
      check.may_choose ? ", may choose another candidate" : "",
      now?.outcome === "fails" && now.said !== check.message ? ` · ${now.said}` : "",
    ].join("");
    const text = element("td");
    text.append(
      element("b", "", title),
      element("code", "quiet small d-block", check.expression),
      element("span", "quiet small", said),
    );
    const acts = element("td", "text-nowrap");
    const path = `/api/v1/types/${this.type}/checks/${check.key}`;
    const remove = () => this.act(() => call("DELETE", `${path}?number=${this.number}`));
    if (this.may)
      acts.append(
        quiet("Edit", () => this.checkForm.begin(check.key), `Edit the check ${title}`),
        quiet("Remove", remove, `Remove the check ${title}`),
      );
    const row = element("tr");
    row.append(element("td", `outcome ${kind}`, now ? now.outcome : "…"), text, acts);
    return row;
  },

  // ---- What a person does ----

  light(key) {
    this.at = key;
    this.drawFields();
    this.sample.light(key);
    part("fields").querySelector("tr.at")?.scrollIntoView({ block: "nearest" });
  },

  walk(by) {
    if (this.tab === "proposals") {
      this.proposals.walk(by);
      return;
    }
    const keys = this.fields.map((one) => one.key);
    if (keys.length) this.light(keys[(keys.indexOf(this.at) + by + keys.length) % keys.length]);
  },

  edit(key) {
    this.open("fields");
    this.light(key);
    this.fieldForm?.begin(key);
  },

  async menu(field, anchor) {
    const shown = document.getElementById("row-menu");
    shown?.remove();
    if (shown?.dataset.key === field.key) return;
    const holder = element("div", "row-menu sheet");
    holder.id = "row-menu";
    holder.dataset.key = field.key;
    const beside = this.fields.filter((one) => one.inside === field.inside);
    const at = beside.indexOf(field);
    const path = `/api/v1/types/${this.type}/fields/${field.key}`;
    const go = (position) => this.act(() => call("PUT", `${path}/position`, { position, number: this.number }));
    const entry = (text, act, off = false) => {
      const made = element("button", "", text);
      made.type = "button";
      made.disabled = off;
      made.addEventListener("click", (event) => {
        event.stopPropagation();
        holder.remove();
        act();
      });
      return made;
    };
    holder.append(
      entry("Move up", () => go(at - 1), at === 0),
      entry("Move down", () => go(at + 1), at === beside.length - 1),
      entry("Copy", () => this.act(() => call("POST", `${path}/copy?number=${this.number}`))),
      entry("Remove", () => this.remove(field)),
    );
    anchor.closest("td").append(holder);
    holder.querySelector("button:not(:disabled)").focus();
    holder.addEventListener("keydown", (event) => {
      if (event.key === "Escape") {
        holder.remove();
        anchor.focus();
      }
    });
    document.addEventListener("click", () => holder.remove(), { once: true });
  },

  async remove(field) {
    const path = `/api/v1/types/${this.type}/fields/${field.key}`;
    const effects = await call("POST", `${path}/effects`).catch(() => ({ words: [], labels: field.labels }));
    const sure = await ask({
      title: `Remove “${field.name}”?`,
      text: effects.words.join(" ") || "No paper has a label for it.",
      verb: effects.labels ? "Remove it with its labels" : "Remove it",
    });
    if (sure !== null)
      await this.act(() => call("DELETE", `${path}?labels_known=${effects.labels}&number=${this.number}`));
  },

  // A change of the plan: done, then the plan is loaded anew. Says what went wrong.
  async act(change) {
    try {
      await change();
      await this.saved();
      return true;
    } catch (error) {
      await tell("The field was not changed", error.message);
      if (error.status === 409) await this.reload();
      return false;
    }
  },

  async saved() {
    await this.reload();
    this.status(`Saved as plan ${this.number}`);
  },

  async reload() {
    const page = await fetch(location.pathname, { headers: { Accept: "text/html" } }).then((answer) => answer.text());
    const fresh = new DOMParser().parseFromString(page, "text/html");
    Object.assign(this, JSON.parse(fresh.getElementById("plan").dataset.plan), { samples: this.samples });
    document.querySelector("#panel-changes").innerHTML = fresh.querySelector("#panel-changes").innerHTML;
    const figure = fresh.querySelector('[data-step-link="plan"] span');
    if (figure) document.querySelector('[data-step-link="plan"] span').innerHTML = figure.innerHTML;
    whenReleased(() => this.draw());
    await this.sample.look();
  },

  status(text) {
    part("status").textContent = text;
  },

  tried(result) {
    const holder = part("tried");
    if (!result) {
      holder.replaceChildren();
      return;
    }
    const all = result.holds + result.fails + result.open;
    const open = result.open ? `; unknown on ${result.open}` : "";
    const samples = many(all, "labelled sample", "labelled samples");
    holder.replaceChildren(
      all
        ? `Holds on ${result.holds} of ${samples}${open}${result.fails ? "; fails on " : "."}`
        : "There is no labelled sample yet to test it on.",
    );
    result.failed.slice(0, 6).forEach((one, at) => {
      const link = element("a", "", one.name);
      link.href = `/label/${one.document}`;
      link.title = one.said;
      holder.append(at ? ", " : "", link);
    });
    if (result.failed.length > 6) holder.append(` and ${result.failed.length - 6} more`);
  },

  async offerReread(papers) {
    const sure = await ask({
      title: "Read papers again?",
      text: `${many(papers, "live paper", "live papers")} in review were read with the old plan.`,
      verb: "Read them again",
    });
    if (sure !== null) await this.reread();
  },

  async reread() {
    const got = await call("POST", `/api/v1/types/${this.type}/reread`).catch((error) => {
      tell("Nothing was read again", error.message);
      return null;
    });
    if (got) this.status(`${many(got.papers, "paper is", "papers are")} read again`);
  },

  open(tab) {
    this.tab = tab;
    root.querySelectorAll("[data-tab]").forEach((button) => {
      button.setAttribute("aria-selected", button.dataset.tab === tab);
      document.getElementById(`panel-${button.dataset.tab}`).hidden = button.dataset.tab !== tab;
    });
    document.getElementById(`panel-${tab}`).focus({ preventScroll: true }); // else Enter would press the tab again
    if (tab === "proposals" && !this.proposals.all) this.proposals.load();
    if (tab !== "proposals") this.sample.propose(null);
    else this.proposals.walk(0);
  },
};

const acts = {
  import: () => importPlan(plan, part("file"), root.dataset.workspace, false),
  "import-new": () => importPlan(plan, part("file"), root.dataset.workspace, true),
  "copy-type": () => copyType(plan),
  reread: () => plan.reread(),
  "sweep-table": () => plan.proposals.sweepTable(),
  "previous-sample": () => plan.sample.step(-1),
  "next-sample": () => plan.sample.step(1),
  "previous-page": () => plan.sample.turn(-1),
  "next-page": () => plan.sample.turn(1),
};
root.addEventListener("click", (event) => {
  const act = event.target.closest("[data-act]")?.dataset.act;
  if (act) acts[act]();
  const tab = event.target.closest("[data-tab]")?.dataset.tab;
  if (tab) plan.open(tab);
  const back = event.target.closest("[data-back]")?.dataset.back;
  if (back) plan.act(() => call("POST", `/api/v1/types/${plan.type}/plan-versions/${back}?number=${plan.number}`));
});

// What the sample shows of the plan: how many fields are found on it, and how many checks fail.
function showFound(found) {
  const values = (key) => found.fields.find((field) => field.key === key);
  const isFound = ({ key }) => {
    const own = values(key);
    const columns = plan.fields.filter((column) => column.inside === key);
    return (
      own && (own.values.some(Boolean) || own.derived.length || columns.some((one) => values(one.key)?.values.length))
    );
  };
  const failing = found.checks.filter((check) => check.outcome === "fails").length;
  const count = plan.top().filter(isFound).length;
  const checks = failing ? `, ${many(failing, "check fails", "checks fail")}` : "";
  part("found-word").title = "by the plan alone, without training";
  const [first, last] = found.pages;
  const where = plan.sample?.pages > last - first + 1 ? ` on pages ${first}–${last}` : "";
  part("found-word").textContent = plan.fields.length ? `${count} of ${plan.top().length} found${where}${checks}` : "";
  whenReleased(() => {
    plan.drawFields();
    plan.drawChecks();
  });
}

defineForms(plan);
if (part("list-form")) listForm(plan, part("list-form"), part("list-problem"), root.dataset.workspace);
plan.proposals = new Proposals(plan, part("proposals"), part("proposal-word"));
plan.sample = new Sample(part("sample"), {
  type: plan.type,
  samples: plan.samples,
  chosen: plan.chosen,
  fields: () => plan.fields,
  changed: showFound,
  lit: (key) => plan.light(key.startsWith("new_field") ? plan.at : key),
  stepped: () => {
    plan.proposals.forget();
    if (plan.tab === "proposals") plan.proposals.load();
  },
});
const words = () => [
  ...plan.fields.filter((field) => field.kind !== "table").map(({ key, name }) => ({ text: key, said: name })),
  ...Object.entries(plan.functions).map(([name, [, help]]) => ({ text: `${name}(`, said: help })),
  { text: "received", said: "day the paper was received" },
];
root.querySelectorAll("[data-complete]").forEach((box) => completing(box, words));
plan.draw();
Alpine.start();
const onProposals = (act) => () => {
  if (plan.tab !== "proposals") return false;
  act();
  return true;
};
setKeys({
  a: () => {
    plan.open("fields");
    plan.fieldForm?.reset();
    document.getElementById("f-name")?.focus();
  },
  e: () => {
    if (plan.at && plan.may) plan.edit(plan.at);
  },
  j: () => plan.walk(1),
  k: () => plan.walk(-1),
  "[": () => plan.sample.step(-1),
  "]": () => plan.sample.step(1),
  Enter: onProposals(() => plan.proposals.take(plan.proposals.at)),
  r: onProposals(() => plan.proposals.rename()),
  t: onProposals(() => plan.proposals.retype()),
  x: onProposals(() => plan.proposals.drop(plan.proposals.at)),
});
root.dataset.ready = "yes";
