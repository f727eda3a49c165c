// Plan: fields, checks and proposals beside a living sample. One object keeps the plan and draws its lists.

import Alpine from "../../vendor/alpine.js";
import { call } from "../server.js";
import { setKeys } from "../keys.js";
import { ask, tell } from "../dialogs.js";
import { element } from "../desk/notes.js";
import { completing } from "./complete.js";
import { defineForms } from "./forms.js";
import { Sample } from "./sample.js";

const root = document.getElementById("plan");
const part = (name) => root.querySelector(`[data-${name}]`);
const TYPES = ["text", "name", "identifier", "money", "number", "date", "percent", "address", "choice", "tick box"];
const many = (count, one, more) => `${count} ${count === 1 ? one : more}`;

const plan = {
  ...JSON.parse(root.dataset.plan),
  type: root.dataset.type,
  tab: "fields",
  at: null,
  proposed: null,
  proposalAt: 0,

  field(key) { return this.fields.find((one) => one.key === key); },
  top() { return this.fields.filter((one) => !one.key.includes(".")); },

  get orderWord() {
    const order = this.order;
    if (!order.papers) return "No paper has been read to learn it from.";
    if (order.ambiguous) return `${many(order.either, "date", "dates")} on ${many(order.papers, "paper", "papers")} can be read either way, and none settles it: day first is taken.`;
    return order.is_month_first ? `Month first, as ${many(order.month_first, "date shows", "dates show")}.` : order.day_first ? `Day first, as ${many(order.day_first, "date shows", "dates show")}.` : "No date on them leaves it open.";
  },

  // ---- Lists ----

  draw() {
    part("title").textContent = this.fields.length ? `${many(this.top().length, "field is", "fields are")} read from each ${document.querySelector("#type-choice option:checked").textContent.toLowerCase()}` : part("title").textContent;
    part('count="fields"').textContent = this.top().length;
    part('count="checks"').textContent = this.checks.length;
    part('count="proposals"').textContent = this.proposed ? this.proposed.length : "";
    this.drawFields();
    this.drawChecks();
    this.drawProposals();
    const inside = part("inside");
    if (inside) inside.replaceChildren(...[["", "nothing: it stands by itself"], ...this.fields.filter((one) => ["table", "clause"].includes(one.kind)).map((one) => [one.key, `${one.name} (${one.kind === "table" ? "a column" : "section"})`])].map(([key, name]) => { const option = element("option", "", name); option.value = key; return option; }));
  },

  drawFields() {
    if (!this.fields.length) {
      part("fields").replaceChildren(empty("A plan is a list of fields", "Name one thing that stands on these papers, say what kind of value it is and which words are printed beside it: the sample shows at once what would be found. Or take what the sample proposes."));
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
    part("fields").replaceChildren(table);
  },

  fieldRow(field) {
    const row = element("tr", `plan-row${field.inside ? " inner" : ""}${field.key === this.at ? " at" : ""}`);
    row.dataset.key = field.key;
    const name = element("td");
    name.append(element("b", "", field.name), element("code", "quiet small", field.key.split(".").pop()), element("span", "quiet small", said(field)));
    const value = element("td", "found-cell");
    value.append(this.foundFor(field));
    const acts = element("td", "text-nowrap");
    if (this.may) {
      for (const [text, act, label] of [["Edit", () => this.edit(field.key), `Edit ${field.name}`], ["⋯", (event) => this.menu(field, event.target), `More for ${field.name}`]]) {
        const made = element("button", "btn-quiet", text);
        made.type = "button";
        made.setAttribute("aria-label", label);
        made.addEventListener("click", (event) => { event.stopPropagation(); act(event); });
        acts.append(made);
      }
    }
    row.append(name, value, element("td", "num", field.kind === "derived" || field.key.includes(".") ? "" : String(this.labelled(field))), acts);
    row.addEventListener("click", () => this.light(field.key));
    return row;
  },

  // Papers with a label for a field; for a table, with a label in a column.
  labelled(field) { return Math.max(field.labels, ...this.fields.filter((one) => one.inside === field.key && one.key.includes(".")).map((one) => one.labels)); },

  foundFor(field) {
    const found = this.sample?.of(field.key);
    if (!found) return element("span", "quiet", this.sample?.samples.length ? "…" : "");
    const rows = this.fields.filter((one) => one.inside === field.key && one.key.includes("."));
    if (field.kind === "table") {
      const count = Math.max(0, ...rows.map((one) => this.sample.of(one.key)?.values.length || 0));
      return element("span", count ? "mono" : "quiet", count ? many(count, "row", "rows") : "not found");
    }
    const values = [...found.values.filter(Boolean).map((value) => value.text), ...found.derived];
    if (!values.length) return element("span", "quiet", field.kind === "derived" ? "can't be told" : "not found");
    const text = values.join("; ");
    const made = element("span", "mono", text.length > 44 ? `${text.slice(0, 42)}…` : text);
    made.title = text;
    return made;
  },

  drawChecks() {
    part("lists").replaceChildren(...(this.lists.length ? this.lists.map((one) => { const line = element("p", "mb-1"); line.append(element("code", "", one.name), ` ${many(one.entries, "entry", "entries")} · use: `, element("code", "quiet", `listed(field, "${one.name}")`)); return line; }) : [element("p", "quiet mb-1", "None yet.")]));
    if (!this.checks.length) { part("checks").replaceChildren(empty("A check is a sentence that must be true", "Such as: net_pay < gross_pay. It is tried on this sample and on all labelled ones while you write it; on live papers it holds what does not add up.")); return; }
    const table = element("table", "rows plan-checks");
    table.append(head([["On this sample"], ["Check"], [""]]));
    const body = element("tbody");
    for (const check of this.checks) {
      const now = this.sample?.found?.checks.find((one) => one.key === check.key);
      const row = element("tr");
      const outcome = element("td", `outcome ${now?.outcome === "fails" ? "blocks" : now?.outcome === "holds" ? "passes" : "quiet"}`, now ? now.outcome : "…");
      const text = element("td");
      text.append(element("b", "", check.message || check.expression), element("code", "quiet small d-block", check.expression), element("span", "quiet small", `${check.severity === "advisory" ? "advises" : "blocks"}${check.may_choose ? ", may take another candidate" : ""}${now?.outcome === "fails" && now.said !== check.message ? ` · ${now.said}` : ""}`));
      const acts = element("td", "text-nowrap");
      if (this.may) acts.append(quiet("Edit", () => this.checkForm.begin(check.key), `Edit the check ${check.message || check.expression}`), quiet("Remove", () => this.act(() => call("DELETE", `/api/v1/types/${this.type}/checks/${check.key}?number=${this.number}`)), `Remove the check ${check.message || check.expression}`));
      row.append(outcome, text, acts);
      body.append(row);
    }
    table.append(body);
    part("checks").replaceChildren(table);
  },

  // ---- Proposals ----

  async loadProposals() {
    if (!this.sample.id) { this.proposed = []; this.draw(); return; }
    part("proposal-word").textContent = "Looking at the sample …";
    const asked = this.sample.id;
    const got = await call("GET", `/api/v1/types/${this.type}/sample/${asked}/proposals`).catch((error) => { this.status(error.message); return []; });
    if (asked !== this.sample.id) return;
    this.proposed = got;
    this.proposalAt = 0;
    part("proposal-word").textContent = got.length ? `This sample speaks for ${many(got.length, "field", "fields")} that the plan has not.` : "This sample speaks for nothing that the plan has not.";
    this.draw();
    this.walkProposals(0);
  },

  drawProposals() {
    const holder = part("proposals");
    if (!this.proposed?.length) { holder.replaceChildren(empty("Nothing to propose", "Step to another sample with [ and ], or sweep a region to make a table of it.")); return; }
    const table = element("table", "rows plan-proposals");
    table.append(head([["Proposed"], ["As"], ["On this sample"], [""]]));
    const body = element("tbody");
    this.proposed.forEach((one, at) => {
      const row = element("tr", at === this.proposalAt ? "at" : "");
      const name = element("td");
      name.append(element("b", "", one.field.name), element("span", "quiet small d-block", one.columns.length ? one.columns.map((column) => column.name).join(" · ") : one.why));
      const acts = element("td", "text-nowrap");
      if (this.may) acts.append(quiet("Take", () => this.take(at), `Take ${one.field.name}`), quiet("Drop", () => this.drop(at), `Drop ${one.field.name}`));
      const kind = one.field.kind === "table" ? "table" : one.field.kind === "clause" ? "section" : one.field.kind === "derived" ? `${one.field.data_type || "text"}, worked out` : one.field.data_type || "text";
      const value = element("td", "mono found-cell", one.example.length > 34 ? `${one.example.slice(0, 32)}…` : one.example);
      row.append(name, element("td", "", kind), value, acts);
      row.addEventListener("click", () => { this.proposalAt = at; this.walkProposals(0); });
      body.append(row);
    });
    table.append(body);
    holder.replaceChildren(table);
  },

  walkProposals(by) {
    if (!this.proposed?.length) { this.sample.propose(null); return; }
    this.proposalAt = Math.max(0, Math.min(this.proposed.length - 1, this.proposalAt + by));
    this.drawProposals();
    part("proposals").querySelector("tr.at")?.scrollIntoView({ block: "nearest" });
    const one = this.proposed[this.proposalAt];
    this.sample.propose({ page: one.page, box: one.box });
  },

  async take(at, name = "") {
    const one = this.proposed[at];
    if (!one) return;
    const { key, ...field } = one.field;
    const bare = ({ key: own, inside, ...column }) => column;
    const given = { ...field, name: name || field.name, columns: one.columns.map(bare), number: this.number };
    if (await this.act(() => call("POST", `/api/v1/types/${this.type}/fields`, given))) this.drop(at);
  },

  async rename() {
    const one = this.proposed[this.proposalAt];
    const name = one && await ask({ title: "Take it under which name?", verb: "Take it", input: one.field.name });
    if (name) await this.take(this.proposalAt, name);
  },

  retype() {
    const one = this.proposed[this.proposalAt];
    if (!one || (one.field.kind && one.field.kind !== "value")) return;
    const usable = TYPES.filter((type) => type !== "choice" || one.field.options?.length);
    one.field.data_type = usable[(usable.indexOf(one.field.data_type || "text") + 1) % usable.length];
    this.drawProposals();
  },

  drop(at) {
    this.proposed.splice(at, 1);
    this.proposalAt = Math.min(this.proposalAt, this.proposed.length - 1);
    this.draw();
    this.walkProposals(0);
  },

  async sweepTable() {
    this.status("Sweep over the rows of the table on the sample.");
    const place = await this.sample.sweep();
    this.status("");
    if (!place) { this.sample.propose(null); return; }
    try {
      const made = await call("POST", `/api/v1/documents/${this.sample.id}/table-proposal`, place);
      this.proposed = [made, ...(this.proposed || [])];
      this.proposalAt = 0;
      this.draw();
      this.walkProposals(0);
    } catch (error) { tell("No table was made", error.message); }
  },

  // ---- What a person does ----

  light(key) {
    this.at = key;
    this.drawFields();
    this.sample.light(key);
    part("fields").querySelector("tr.at")?.scrollIntoView({ block: "nearest" });
  },

  walk(by) {
    if (this.tab === "proposals") { this.walkProposals(by); return; }
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
    for (const [text, act, off] of [
      ["Move up", () => go(at - 1), at === 0], ["Move down", () => go(at + 1), at === beside.length - 1],
      ["Copy", () => this.act(() => call("POST", `${path}/copy?number=${this.number}`))], ["Remove", () => this.remove(field)],
    ]) {
      const made = element("button", "", text);
      made.type = "button";
      made.disabled = Boolean(off);
      made.addEventListener("click", (event) => { event.stopPropagation(); holder.remove(); act(); });
      holder.append(made);
    }
    anchor.closest("td").append(holder);
    holder.querySelector("button:not(:disabled)").focus();
    holder.addEventListener("keydown", (event) => { if (event.key === "Escape") { holder.remove(); anchor.focus(); } });
    document.addEventListener("click", () => holder.remove(), { once: true });
  },

  async remove(field) {
    const path = `/api/v1/types/${this.type}/fields/${field.key}`;
    const effects = await call("POST", `${path}/effects`).catch(() => ({ words: [], labels: field.labels }));
    const sure = await ask({ title: `Remove “${field.name}”?`, text: effects.words.join(" ") || "No paper has a label for it.", verb: effects.labels ? `Remove it with ${effects.labels} labels` : "Remove it" });
    if (sure !== null) await this.act(() => call("DELETE", `${path}?labels_known=${effects.labels}&number=${this.number}`));
  },

  // A change of the plan: done, then the plan is loaded anew. Says what went wrong.
  async act(change) {
    try {
      await change();
      await this.saved();
      return true;
    } catch (error) {
      await tell("It was not changed", error.message);
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
    this.draw();
    await this.sample.look();
  },

  status(text) { part("status").textContent = text; },

  tried(result) {
    const holder = part("tried");
    if (!result) { holder.replaceChildren(); return; }
    const all = result.holds + result.fails + result.open;
    holder.replaceChildren(all ? `Holds on ${result.holds} of ${many(all, "labelled sample", "labelled samples")}${result.open ? `; can't be told on ${result.open}` : ""}${result.fails ? "; fails on " : "."}` : "No sample is labelled yet to try it on.");
    result.failed.slice(0, 6).forEach((one, at) => {
      const link = element("a", "", one.name);
      link.href = `/label/${one.document}`;
      link.title = one.said;
      holder.append(at ? ", " : "", link);
    });
    if (result.failed.length > 6) holder.append(` and ${result.failed.length - 6} more`);
  },

  async offerReread(papers) {
    const sure = await ask({ title: "Read papers again?", text: `${many(papers, "live paper", "live papers")} in review were read with the old plan.`, verb: "Read them again" });
    if (sure !== null) await this.reread();
  },

  async reread() {
    const got = await call("POST", `/api/v1/types/${this.type}/reread`).catch((error) => { tell("Nothing was read again", error.message); return null; });
    if (got) this.status(`${many(got.papers, "paper is", "papers are")} read again`);
  },

  open(tab) {
    this.tab = tab;
    root.querySelectorAll("[data-tab]").forEach((button) => {
      button.setAttribute("aria-selected", button.dataset.tab === tab);
      document.getElementById(`panel-${button.dataset.tab}`).hidden = button.dataset.tab !== tab;
    });
    document.getElementById(`panel-${tab}`).focus({ preventScroll: true }); // else Enter would press the tab again
    if (tab === "proposals" && !this.proposed) this.loadProposals();
    if (tab !== "proposals") this.sample.propose(null);
    else this.walkProposals(0);
  },
};

function said(field) {
  const kind = field.kind === "table" ? "table" : field.kind === "clause" ? "section" : field.kind === "derived" ? `${field.data_type}, worked out` : field.data_type;
  const more = [field.required ? "" : "optional", field.many ? "many" : "", field.personal ? "personal" : "", field.spec.rules?.length ? many(field.spec.rules.length, "rule", "rules") : ""].filter(Boolean);
  return [kind, ...more].join(", ");
}

function quiet(text, act, label) {
  const made = element("button", "btn-quiet", text);
  made.type = "button";
  made.setAttribute("aria-label", label);
  made.addEventListener("click", (event) => { event.stopPropagation(); act(); });
  return made;
}

function head(cells) {
  const made = element("thead");
  const row = element("tr");
  for (const [text, kind = "", title = ""] of cells) { const cell = element("th", kind, text); cell.scope = "col"; if (title) cell.title = title; row.append(cell); }
  made.append(row);
  return made;
}

function groupRow(text) {
  const row = element("tr", "group");
  const cell = element("td", "", text);
  cell.colSpan = 4;
  row.append(cell);
  return row;
}

function empty(title, text) {
  const made = element("div", "empty");
  made.append(element("h2", "", title), element("p", "", text));
  return made;
}

// ---- Files, lists, keys -----------------------------------------------------------------------------------------------------------

async function importFile(asNew) {
  const chooser = part("file");
  chooser.value = "";
  chooser.onchange = async () => {
    try {
      const body = JSON.parse(await chooser.files[0].text());
      const got = asNew ? await call("POST", `/api/v1/workspaces/${root.dataset.workspace}/plans`, body) : await call("PUT", `/api/v1/types/${plan.type}/plan.json?number=${plan.number}`, body);
      if (asNew) location.href = `/types/${got.id}/plan`;
      else await plan.saved();
    } catch (error) { tell("The file was not imported", error instanceof SyntaxError ? `It is no JSON: ${error.message}` : error.message); }
  };
  chooser.click();
}

async function copyType() {
  const name = await ask({ title: "Copy this plan as a new document type", verb: "Copy", input: "", placeholder: "its name" });
  if (!name) return;
  await call("POST", `/api/v1/types/${plan.type}/copy`, { name }).then((got) => { location.href = `/types/${got.id}/plan`; }, (error) => tell("It was not copied", error.message));
}

part("list-form")?.addEventListener("submit", async (event) => {
  event.preventDefault();
  const form = event.target;
  const body = new FormData();
  body.append("file", form.file.files[0]);
  try {
    await call("POST", `/api/v1/workspaces/${root.dataset.workspace}/lists/${encodeURIComponent(form.name.value)}/csv`, body);
    form.reset();
    part("list-problem").textContent = "";
    await plan.reload();
  } catch (error) { part("list-problem").textContent = error.message; }
});

const acts = {
  import: () => importFile(false), "import-new": () => importFile(true), "copy-type": copyType, reread: () => plan.reread(), "sweep-table": () => plan.sweepTable(),
  "previous-sample": () => plan.sample.step(-1), "next-sample": () => plan.sample.step(1), "previous-page": () => plan.sample.turn(-1), "next-page": () => plan.sample.turn(1),
};
root.addEventListener("click", (event) => {
  const act = event.target.closest("[data-act]")?.dataset.act;
  if (act) acts[act]();
  const tab = event.target.closest("[data-tab]")?.dataset.tab;
  if (tab) plan.open(tab);
  const back = event.target.closest("[data-back]")?.dataset.back;
  if (back) plan.act(() => call("POST", `/api/v1/types/${plan.type}/plan-versions/${back}?number=${plan.number}`));
});

defineForms(plan);
plan.sample = new Sample(part("sample"), {
  type: plan.type, samples: plan.samples, chosen: plan.chosen, fields: () => plan.fields,
  changed: (found) => {
    const good = found.checks.filter((one) => one.outcome === "fails").length;
    const read = plan.top().filter((field) => { const one = found.fields.find((each) => each.key === field.key); return one && (one.values.some(Boolean) || one.derived.length || plan.fields.some((column) => column.inside === field.key && found.fields.find((each) => each.key === column.key)?.values.length)); }).length;
    part("found-word").title = "by the plan alone, without training";
    part("found-word").textContent = plan.fields.length ? `${read} of ${plan.top().length} found${good ? `, ${many(good, "check fails", "checks fail")}` : ""}` : "";
    plan.drawFields();
    plan.drawChecks();
  },
  lit: (key) => plan.light(key.startsWith("new_field") ? plan.at : key),
});
plan.sample.onSample = () => { plan.proposed = null; if (plan.tab === "proposals") plan.loadProposals(); };
const words = () => [...plan.fields.filter((one) => one.kind !== "table").map((one) => ({ text: one.key, said: one.name })), ...Object.entries(plan.functions).map(([name, [, help]]) => ({ text: `${name}(`, said: help })), { text: "received", said: "day of receipt" }];
root.querySelectorAll("[data-complete]").forEach((box) => completing(box, words));
plan.draw();
Alpine.start();
const onProposals = (act) => () => { if (plan.tab !== "proposals") return false; act(); return true; };
setKeys({
  a: () => { plan.open("fields"); plan.fieldForm?.reset(); document.getElementById("f-name")?.focus(); },
  e: () => { if (plan.at && plan.may) plan.edit(plan.at); },
  j: () => plan.walk(1), k: () => plan.walk(-1), "[": () => plan.sample.step(-1), "]": () => plan.sample.step(1),
  Enter: onProposals(() => plan.take(plan.proposalAt)), r: onProposals(() => plan.rename()), t: onProposals(() => plan.retype()), x: onProposals(() => plan.drop(plan.proposalAt)),
});
root.dataset.ready = "yes";
