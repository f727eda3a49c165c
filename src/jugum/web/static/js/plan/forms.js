// The field's form and the check's form: what is typed goes to the sample at once, and stays when the server refuses.

import Alpine from "../../vendor/alpine.js";
import { call } from "../server.js";
import { ask } from "../dialogs.js";

const EMPTY = {
  name: "", kind: "value", data_type: "text", printed: "", required: true, many: false, personal: false, expression: "", options: "",
  columns: "", pattern: "", check_digit: "", order: "", pivot: 50, region: "", question: "", note: "", group: "", inside: "", rules: "",
  out_pattern: "", out_decimals: "", out_mark: ".", out_case: "", out_strip: "", totals: "ends the table",
};
const NUMERIC = ["money", "number", "percent", "number in words"];
const WHERE = ["right of", "left of", "below", "above", "between"];
const lines = (text) => text.split("\n").map((line) => line.trim()).filter(Boolean);

export function ruleFrom(line) {
  const where = WHERE.find((one) => line.toLowerCase().startsWith(`${one} `));
  if (!where) return { pattern: line };
  const [words, until = ""] = line.slice(where.length).split(where === "between" ? /…|\.\.\./ : /\u0000/).map((part) => part.trim());
  return { where, words, until };
}

function columnFrom(line) {
  const [name, data_type = "text", heads = ""] = line.split("|").map((part) => part.trim());
  return { name, data_type: data_type || "text", printed_names: heads.split(",").map((part) => part.trim()).filter(Boolean), required: false };
}

function optionFrom(line) {
  const [key, printed = ""] = line.split("=").map((part) => part.trim());
  const plain = key.toLowerCase().replace(/[^a-z0-9]+/g, "_").replace(/^_+|_+$/g, "");
  return { key: printed ? key : plain || key, printed: printed ? printed.split(",").map((part) => part.trim()) : [key] };
}

// Form values → what the API takes; what doesn't belong to the kind is left out.
export function fieldBody(form) {
  const own = (kinds) => kinds.includes(form.data_type) && (form.kind === "value" || form.kind === "derived");
  const output = {};
  if (own(["date"]) && form.out_pattern) output.pattern = form.out_pattern;
  if (own(NUMERIC)) { if (form.out_decimals !== "" && form.out_decimals !== null) output.decimals = Number(form.out_decimals); output.decimal_mark = form.out_mark; }
  if (!own(["date", ...NUMERIC])) { if (form.out_case) output.case = form.out_case; if (form.out_strip) output.strip = form.out_strip; }
  return {
    name: form.name, kind: form.kind, data_type: ["table", "clause"].includes(form.kind) ? "text" : form.data_type,
    printed_names: form.kind === "derived" ? [] : lines(form.printed), required: form.required, many: form.kind === "value" && form.many, personal: form.personal,
    heading: form.group, question: form.question, note: form.note, inside: form.inside,
    expression: form.kind === "derived" ? form.expression : "",
    options: own(["choice"]) ? lines(form.options).map(optionFrom) : [],
    pattern: own(["identifier"]) ? form.pattern : "", check_digit: own(["identifier"]) ? form.check_digit : "",
    month_first: own(["date"]) && form.order ? form.order === "month" : null, pivot: own(["date"]) ? Number(form.pivot) : 50,
    region: own(["phone"]) ? form.region.toUpperCase() : "", rules: form.kind === "value" ? lines(form.rules).map(ruleFrom) : [], output, totals: form.totals,
  };
}

function formFrom(spec) {
  const output = spec.output || {};
  return {
    ...EMPTY, name: spec.name, kind: spec.kind || "value", data_type: spec.data_type || "text", printed: (spec.printed_names || []).join("\n"),
    required: spec.required ?? true, many: spec.many ?? false, personal: spec.personal ?? false, expression: spec.expression || "",
    options: (spec.options || []).map((one) => `${one.key}${one.printed?.length ? ` = ${one.printed.join(", ")}` : ""}`).join("\n"),
    pattern: spec.pattern || "", check_digit: spec.check_digit || "", order: spec.month_first == null ? "" : spec.month_first ? "month" : "day",
    pivot: spec.pivot ?? 50, region: spec.region || "", question: spec.question || "", note: spec.note || "", group: spec.heading || "",
    inside: spec.inside || "", rules: (spec.rules || []).map((one) => (one.pattern ? one.pattern : `${one.where} ${one.words}${one.until ? ` … ${one.until}` : ""}`)).join("\n"),
    out_pattern: output.pattern || "", out_decimals: output.decimals ?? "", out_mark: output.decimal_mark || ".", out_case: output.case || "", out_strip: output.strip || "",
    totals: spec.totals || "ends the table",
  };
}

// plan: the view's state, with type, number, field(key), saved(), sample, orderWord.
export function defineForms(plan) {
  Alpine.data("field", () => ({
    ...EMPTY, editing: "", problem: "",
    get heading() { return this.editing ? `Change “${plan.field(this.editing)?.name ?? ""}”` : "Add a field"; },
    get verb() { return this.editing ? "Save changes" : "Add field"; },
    get fixed() { return Boolean(this.editing); },
    get isDerived() { return this.kind === "derived"; },
    get isTable() { return this.kind === "table"; },
    get typed() { return this.kind === "value" || this.kind === "derived"; },
    get printable() { return this.kind !== "derived"; },
    get isChoice() { return this.kind === "value" && this.data_type === "choice"; },
    get isIdentifier() { return this.typed && this.data_type === "identifier"; },
    get isDate() { return this.typed && this.data_type === "date"; },
    get isPhone() { return this.typed && this.data_type === "phone"; },
    get isNumeric() { return this.typed && NUMERIC.includes(this.data_type); },
    get isWordy() { return this.typed && !this.isNumeric && !this.isDate; },
    get insideable() { return this.kind === "value" && !(this.editing && this.editing.includes(".")); },
    get manyable() { return this.kind === "value"; },
    get orderWord() { return plan.orderWord; },
    init() { plan.fieldForm = this; },
    begin(key) {
      Object.assign(this, formFrom(plan.field(key).spec), { editing: key, problem: "" });
      document.getElementById("f-name").focus();
    },
    reset() { Object.assign(this, EMPTY, { editing: "", problem: "" }); plan.sample.look(); plan.light(null); },
    async live() {
      if (!this.name.trim() && !this.editing) return;
      const found = await plan.sample.look(fieldBody(this), this.editing);
      if (!found) return;
      this.problem = found.problem || "";
      plan.sample.light(this.editing || (this.inside && plan.field(this.inside)?.kind === "table" ? `${this.inside}.new_field` : "new_field"));
    },
    async save() {
      const body = { ...fieldBody(this), number: plan.number };
      if (!this.editing && this.kind === "table") body.columns = lines(this.columns).map(columnFrom);
      try {
        if (this.editing) {
          if (!(await this.agreed(body))) return;
          await call("PUT", `/api/v1/types/${plan.type}/fields/${this.editing}`, body);
        } else await call("POST", `/api/v1/types/${plan.type}/fields`, body);
        Object.assign(this, EMPTY, { editing: "", problem: "", kind: "value" });
        await plan.saved();
        document.getElementById("f-name").focus();
      } catch (error) {
        this.problem = error.message;
        if (error.status === 409) plan.reload();
      }
    },
    // A change that touches labels or a live version is said before it is made.
    async agreed(body) {
      const effects = await call("POST", `/api/v1/types/${plan.type}/fields/${this.editing}/effects`, body);
      if (!effects.words.length) return true;
      const sure = await ask({ title: `Change “${body.name}”?`, text: effects.words.join(" "), verb: "Change it" });
      if (sure !== null && effects.papers) plan.offerReread(effects.papers);
      return sure !== null;
    },
  }));

  Alpine.data("check", () => ({
    expression: "", message: "", severity: "blocking", may_choose: false, editing: "", problem: "", asked: 0,
    get heading() { return this.editing ? "Change the check" : "Add a check"; },
    get verb() { return this.editing ? "Save changes" : "Add check"; },
    init() { plan.checkForm = this; },
    begin(key) {
      const check = plan.checks.find((one) => one.key === key);
      Object.assign(this, { expression: check.expression, message: check.message || "", severity: check.severity || "blocking", may_choose: check.may_choose ?? false, editing: key, problem: "" });
      document.getElementById("c-expression").focus();
      this.live();
    },
    reset() { Object.assign(this, { expression: "", message: "", severity: "blocking", may_choose: false, editing: "", problem: "" }); plan.tried(null); },
    body() { return { key: this.editing, expression: this.expression, message: this.message, severity: this.severity, may_choose: this.may_choose }; },
    async live() {
      const mine = (this.asked += 1);
      if (!this.expression.trim()) { this.problem = ""; plan.tried(null); return; }
      try {
        const tried = await call("POST", `/api/v1/types/${plan.type}/checks/try`, this.body());
        if (mine === this.asked) { this.problem = ""; plan.tried(tried); }
      } catch (error) { if (mine === this.asked) { this.problem = error.message; plan.tried(null); } }
    },
    async save() {
      try {
        await call("PUT", `/api/v1/types/${plan.type}/checks`, { ...this.body(), number: plan.number });
        this.reset();
        await plan.saved();
      } catch (error) {
        this.problem = error.message;
        if (error.status === 409) plan.reload();
      }
    },
  }));
}
