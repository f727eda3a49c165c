// Plan: the form beside the list; what is typed is kept when the server refuses.

import Alpine from "../vendor/alpine.js";
import { call } from "./server.js";
import { setKeys } from "./keys.js";
import { ask, tell } from "./dialogs.js";
import { walkRows } from "./lists.js";

const EMPTY = { name: "", data_type: "text", printed: "", required: true, many: false };

Alpine.data("plan", () => ({
  ...EMPTY, editing: "", problem: "",
  get heading() { return this.editing ? "Change the field" : "Add a field"; },
  get verb() { return this.editing ? "Save changes" : "Add field"; },
  init() {
    this.type = this.$el.dataset.type;
    this.fields = JSON.parse(this.$el.dataset.fields);
    this.$el.addEventListener("click", (event) => this.clicked(event));
    const current = walkRows(".sheet");
    setKeys({
      a: () => { this.reset(); document.getElementById("f-name").focus(); },
      e: () => { const row = current(); if (row) this.edit(row.dataset.key); },
    });
  },
  clicked(event) {
    const key = event.target.closest("tr")?.dataset.key;
    if (event.target.matches("[data-edit]")) this.edit(key);
    if (event.target.matches("[data-remove]")) this.remove(key);
    if (event.target.matches("[data-move]")) this.move(key, Number(event.target.dataset.move));
  },
  edit(key) {
    const field = this.fields.find((one) => one.key === key);
    Object.assign(this, { editing: key, name: field.name, data_type: field.data_type, printed: field.printed_names.join("\n"), required: field.required, many: field.many, problem: "" });
    document.getElementById("f-name").focus();
  },
  reset() { Object.assign(this, EMPTY, { editing: "", problem: "" }); },
  async save() {
    const body = { name: this.name, data_type: this.data_type, printed_names: this.printed.split("\n").filter((line) => line.trim()), required: this.required, many: this.many };
    try {
      if (this.editing) await call("PUT", `/api/v1/types/${this.type}/fields/${this.editing}`, body);
      else await call("POST", `/api/v1/types/${this.type}/fields`, body);
      location.reload();
    } catch (error) { this.problem = error.message; }
  },
  async remove(key) {
    const field = this.fields.find((one) => one.key === key);
    const lost = field.labels ? `Its labels on ${field.labels} ${field.labels === 1 ? "paper" : "papers"} would be lost, and what was read for it.` : "No paper has a label for it.";
    const sure = await ask({ title: `Remove “${field.name}”?`, text: lost, verb: field.labels ? `Remove it with ${field.labels} labels` : "Remove it" });
    if (sure === null) return;
    await call("DELETE", `/api/v1/types/${this.type}/fields/${key}?labels_known=${field.labels}`)
      .then(() => location.reload(), (error) => tell("It was not removed", error.message));
  },
  async move(key, by) {
    const position = this.fields.findIndex((one) => one.key === key) + by;
    await call("PUT", `/api/v1/types/${this.type}/fields/${key}/position`, { position })
      .then(() => location.reload(), (error) => tell("It was not moved", error.message));
  },
}));
Alpine.start();
