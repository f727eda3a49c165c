// What the forms hold, as the API takes it, and back. Plain functions of values.

/** What the form of a field holds; a new one is an empty form. */
export class FieldValues {
  name = "";
  kind = "value";
  data_type = "text";
  printed = "";
  required = true;
  many = false;
  personal = false;
  expression = "";
  options = "";
  columns = "";
  pattern = "";
  check_digit = "";
  units = "";
  order = "";
  pivot = 50;
  region = "";
  question = "";
  note = "";
  group = "";
  inside = "";
  rules = "";
  out_pattern = "";
  out_mark = ".";
  out_case = "";
  out_strip = "";
  totals = "ends the table";
  /** @type {number | string} empty: as read */
  out_decimals = "";
}

/** What the form of a check holds. */
export class CheckValues {
  expression = "";
  message = "";
  severity = "blocking";
  may_choose = false;
  editing = "";
  problem = "";
}

export const NUMERIC = ["money", "number", "percent", "number in words"];
const WHERE = ["right of", "left of", "below", "above", "between"];
export const lines = (text) =>
  text
    .split("\n")
    .map((line) => line.trim())
    .filter(Boolean);

const commas = (text) =>
  text
    .split(",")
    .map((part) => part.trim())
    .filter(Boolean);

export function ruleFrom(line) {
  const where = WHERE.find((one) => line.toLowerCase().startsWith(`${one} `));
  if (!where) return { pattern: line };
  const rest = line.slice(where.length);
  const [words, until = ""] = (where === "between" ? rest.split(/…|\.\.\./) : [rest]).map((part) => part.trim());
  return { where, words, until };
}

export function columnFrom(line) {
  const [name, data_type = "text", heads = ""] = line.split("|").map((part) => part.trim());
  return {
    name,
    data_type: data_type || "text",
    printed_names: commas(heads),
    required: false,
  };
}

export function optionFrom(line) {
  const [key, printed = ""] = line.split("=").map((part) => part.trim());
  const plain = key
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "_")
    .replace(/^_+|_+$/g, "");
  return {
    key: printed ? key : plain || key,
    printed: printed ? commas(printed) : [key],
  };
}

// Form values → what the API takes; what doesn't belong to the kind is left out.
export function fieldBody(form) {
  const own = (kinds) => kinds.includes(form.data_type) && (form.kind === "value" || form.kind === "derived");
  const output = {};
  if (own(["date"]) && form.out_pattern) output.pattern = form.out_pattern;
  if (own(NUMERIC)) {
    if (form.out_decimals !== "" && form.out_decimals !== null) output.decimals = Number(form.out_decimals);
    output.decimal_mark = form.out_mark;
  }
  if (!own(["date", ...NUMERIC])) {
    if (form.out_case) output.case = form.out_case;
    if (form.out_strip) output.strip = form.out_strip;
  }
  return {
    name: form.name,
    kind: form.kind,
    data_type: ["table", "clause"].includes(form.kind) ? "text" : form.data_type,
    printed_names: form.kind === "derived" ? [] : lines(form.printed),
    required: form.required,
    many: form.kind === "value" && form.many,
    personal: form.personal,
    heading: form.group,
    question: form.question,
    note: form.note,
    inside: form.inside,
    expression: form.kind === "derived" ? form.expression : "",
    options: own(["choice"]) ? lines(form.options).map(optionFrom) : [],
    pattern: own(["identifier"]) ? form.pattern : "",
    check_digit: own(["identifier"]) ? form.check_digit : "",
    units: own(["number"]) ? commas(form.units) : [],
    month_first: own(["date"]) && form.order ? form.order === "month" : null,
    pivot: own(["date"]) ? Number(form.pivot) : 50,
    region: own(["phone"]) ? form.region.toUpperCase() : "",
    rules: form.kind === "value" ? lines(form.rules).map(ruleFrom) : [],
    output,
    totals: form.totals,
  };
}

export function formFrom(spec) {
  const output = spec.output || {};
  return {
    ...new FieldValues(),
    name: spec.name,
    kind: spec.kind || "value",
    data_type: spec.data_type || "text",
    printed: (spec.printed_names || []).join("\n"),
    required: spec.required ?? true,
    many: spec.many ?? false,
    personal: spec.personal ?? false,
    expression: spec.expression || "",
    options: (spec.options || [])
      .map((one) => `${one.key}${one.printed?.length ? ` = ${one.printed.join(", ")}` : ""}`)
      .join("\n"),
    pattern: spec.pattern || "",
    check_digit: spec.check_digit || "",
    units: (spec.units || []).join(", "),
    order: spec.month_first == null ? "" : spec.month_first ? "month" : "day",
    pivot: spec.pivot ?? 50,
    region: spec.region || "",
    question: spec.question || "",
    note: spec.note || "",
    group: spec.heading || "",
    inside: spec.inside || "",
    rules: (spec.rules || [])
      .map((one) => (one.pattern ? one.pattern : `${one.where} ${one.words}${one.until ? ` … ${one.until}` : ""}`))
      .join("\n"),
    out_pattern: output.pattern || "",
    out_decimals: output.decimals ?? "",
    out_mark: output.decimal_mark || ".",
    out_case: output.case || "",
    out_strip: output.strip || "",
    totals: spec.totals || "ends the table",
  };
}
