// The field's form and the check's form: what is typed goes to the sample at once, and stays when the server refuses.

import Alpine from "../../vendor/alpine.js";
import { call } from "../frame/server.js";
import { ask } from "../frame/dialogs.js";
import { draftOf, dropDraft, keepDraft } from "../frame/drafts.js";
import { CheckValues, columnFrom, fieldBody, FieldValues, formFrom, lines, NUMERIC } from "./form_values.js";

/** What stands in a form, with what it edits. */
function typed(form, values) {
  return Object.fromEntries(["editing", ...Object.keys(values)].map((name) => [name, form[name]]));
}

/** A form as it was left, after a reload or on coming back. */
function restore(form, name, values) {
  const kept = draftOf(name);
  if (!kept) return;
  for (const key of ["editing", ...Object.keys(values)]) if (key in kept) form[key] = kept[key];
}

/** Out of the form's boxes, so that the next key is the view's. */
function leaveForm() {
  if (document.activeElement instanceof HTMLElement) document.activeElement.blur();
}

class FieldForm extends FieldValues {
  /** @param {any} plan the view's plan: type, number, field(key), saved(), sample, orderWord */
  constructor(plan) {
    super();
    this.editing = "";
    this.problem = "";
    this.plan = () => plan; // a function: the form's own state is watched, the plan's is not
  }

  get heading() {
    return this.editing ? `Change “${this.plan().field(this.editing)?.name ?? ""}”` : "Add a field";
  }
  get verb() {
    return this.editing ? "Save changes" : "Add field";
  }
  get fixed() {
    return Boolean(this.editing);
  }
  get isDerived() {
    return this.kind === "derived";
  }
  get isTable() {
    return this.kind === "table";
  }
  get typed() {
    return this.kind === "value" || this.kind === "derived";
  }
  get printable() {
    return this.kind !== "derived";
  }
  get isChoice() {
    return this.kind === "value" && this.data_type === "choice";
  }
  get isIdentifier() {
    return this.typed && this.data_type === "identifier";
  }
  get isDate() {
    return this.typed && this.data_type === "date";
  }
  get isPhone() {
    return this.typed && this.data_type === "phone";
  }
  get isNumeric() {
    return this.typed && NUMERIC.includes(this.data_type);
  }
  get isNumber() {
    return this.typed && this.data_type === "number";
  }
  get isWordy() {
    return this.typed && !this.isNumeric && !this.isDate;
  }
  get insideable() {
    return this.kind === "value" && !(this.editing && this.editing.includes("."));
  }
  get manyable() {
    return this.kind === "value";
  }
  get orderWord() {
    return this.plan().orderWord;
  }

  get draft() {
    return `field of type ${this.plan().type}`;
  }

  init() {
    this.plan().fieldForm = this;
    restore(this, this.draft, new FieldValues());
  }

  /** What is typed is kept at once, not when the sample has answered. */
  keep() {
    keepDraft(this.draft, typed(this, new FieldValues()));
  }

  begin(key) {
    dropDraft(this.draft);
    Object.assign(this, formFrom(this.plan().field(key).spec), { editing: key, problem: "" });
    document.getElementById("f-name").focus();
  }

  reset() {
    dropDraft(this.draft);
    Object.assign(this, new FieldValues(), { editing: "", problem: "" });
    this.plan().sample.look();
    this.plan().light(null);
  }

  async live() {
    if (!this.name.trim() && !this.editing) return;
    const plan = this.plan();
    const found = await plan.sample.look(fieldBody(this), this.editing);
    if (!found) return;
    this.problem = found.problem || "";
    const isColumn = this.inside && plan.field(this.inside)?.kind === "table";
    plan.sample.light(this.editing || (isColumn ? `${this.inside}.new_field` : "new_field"));
  }

  async save() {
    const plan = this.plan();
    const columns = !this.editing && this.kind === "table" ? { columns: lines(this.columns).map(columnFrom) } : {};
    const body = { ...fieldBody(this), ...columns, number: plan.number };
    const path = `/api/v1/types/${plan.type}/fields`;
    try {
      if (!this.editing) await call("POST", path, body);
      else if (await this.agreed(body)) await call("PUT", `${path}/${this.editing}`, body);
      else return;
      const changed = Boolean(this.editing);
      dropDraft(this.draft);
      Object.assign(this, new FieldValues(), { editing: "", problem: "", kind: "value" });
      await plan.saved();
      // The next field is typed at once; after a change the keys are the view's again.
      if (changed) leaveForm();
      else document.getElementById("f-name").focus();
    } catch (error) {
      this.problem = error.message;
      if (error.status === 409) plan.reload();
    }
  }

  /** What a change affects (labels, a live version) is shown before it is made. */
  async agreed(body) {
    const plan = this.plan();
    const { number: _, ...said } = body;
    const effects = await call("POST", `/api/v1/types/${plan.type}/fields/${this.editing}/effects`, said);
    if (!effects.words.length) return true;
    const sure = await ask({ title: `Change “${body.name}”?`, text: effects.words.join(" "), verb: "Change it" });
    if (sure !== null && effects.papers) plan.offerReread(effects.papers);
    return sure !== null;
  }
}

class CheckForm extends CheckValues {
  constructor(plan) {
    super();
    this.asked = 0;
    this.plan = () => plan;
  }

  get heading() {
    return this.editing ? "Change the check" : "Add a check";
  }
  get verb() {
    return this.editing ? "Save changes" : "Add check";
  }

  get draft() {
    return `check of type ${this.plan().type}`;
  }

  init() {
    this.plan().checkForm = this;
    restore(this, this.draft, new CheckValues());
  }

  keep() {
    keepDraft(this.draft, typed(this, new CheckValues()));
  }

  begin(key) {
    const { expression, message, severity, may_choose } = this.plan().checks.find((check) => check.key === key);
    const given = {
      expression,
      message: message || "",
      severity: severity || "blocking",
      may_choose: may_choose ?? false,
    };
    Object.assign(this, given, { editing: key, problem: "" });
    document.getElementById("c-expression").focus();
    this.live();
  }

  reset() {
    dropDraft(this.draft);
    Object.assign(this, new CheckValues());
    this.plan().tried(null);
  }

  /** An example of a function goes into the check: alone, or after what stands there. */
  use(event) {
    const { example } = event.currentTarget.dataset;
    this.expression = this.expression.trim() ? `${this.expression.trim()} and ${example}` : example;
    this.keep();
    this.live();
  }

  body() {
    const { editing, expression, message, severity, may_choose } = this;
    return { key: editing, expression, message, severity, may_choose };
  }

  /** Test the check on all labelled samples while it is written; only the newest answer counts. */
  async live() {
    const mine = (this.asked += 1);
    let tried = null;
    let problem = "";
    try {
      if (this.expression.trim())
        tried = await call("POST", `/api/v1/types/${this.plan().type}/checks/try`, this.body());
    } catch (error) {
      problem = error.message;
    }
    if (mine !== this.asked) return;
    this.problem = problem;
    this.plan().tried(tried);
  }

  async save() {
    const plan = this.plan();
    try {
      await call("PUT", `/api/v1/types/${plan.type}/checks`, { ...this.body(), number: plan.number });
      this.reset();
      await plan.saved();
      leaveForm();
    } catch (error) {
      this.problem = error.message;
      if (error.status === 409) plan.reload();
    }
  }
}

export function defineForms(plan) {
  Alpine.data("field", () => new FieldForm(plan));
  Alpine.data("check", () => new CheckForm(plan));
}
