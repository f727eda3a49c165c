// The sample beside the plan: a page with what the plan finds on it, one field of which may be lit; going through
// samples and pages.

import { call } from "../frame/server.js";
import { svg } from "../frame/beam.js";
import { element } from "../desk/notes.js";

export class Sample {
  // changed(found): called whenever the server has said what the plan finds on the sample.
  constructor(root, { type, samples, chosen, changed, lit, fields, stepped = () => {} }) {
    this.root = root;
    this.type = type;
    this.samples = samples;
    this.changed = changed;
    this.litBy = lit;
    this.stepped = stepped;
    this.fields = fields;
    this.part = (name) => root.querySelector(`[data-${name}]`);
    this.at = Math.max(
      0,
      samples.findIndex(([id]) => id === chosen),
    );
    this.page = 1;
    this.drafted = []; // the field as it is being typed, looked for on whatever page is turned to
    this.found = null;
    this.lit = null;
    this.proposed = null;
    this.asked = 0;
    const choice = this.part("samples");
    choice.replaceChildren(...samples.map(([, name], at) => new Option(name, at)));
    choice.addEventListener("change", () => this.go(Number(choice.value)));
    this.part("overlay").addEventListener("pointerdown", (event) => this.press(event));
    if (!samples.length) this.empty();
    else this.go(this.at);
  }

  get id() {
    return this.samples[this.at]?.[0];
  }

  empty() {
    const gather = element("a", "", "Import one");
    gather.href = `/types/${this.type}/gather`;
    this.root.classList.add("no-sample");
    this.part("note").replaceChildren(
      element("b", "", "No sample has been read yet. "),
      gather,
      element("span", "", " and the plan is tested on it while you write."),
    );
  }

  get pages() {
    return this.samples[this.at]?.[2] || 1;
  }

  step(by) {
    if (this.samples.length) this.go((this.at + by + this.samples.length) % this.samples.length);
  }

  go(at) {
    this.at = at;
    this.page = 1;
    this.found = null;
    this.proposed = null;
    this.part("samples").value = at;
    this.turn(0);
    this.stepped();
    return this.look();
  }

  turn(by) {
    const count = this.pages;
    this.page = Math.min(count, Math.max(1, this.page + by));
    this.part("page-word").textContent = `page ${this.page} of ${count}`;
    this.part("pager").hidden = count < 2;
    const picture = this.part("picture");
    const path = `/documents/${this.id}/pages/${this.page}.jpg`;
    if (picture.getAttribute("src") !== path) picture.src = path;
    this.draw();
    if (this.found && !this.looked(this.page)) this.look(...this.drafted);
  }

  /** Whether what was found is about a page: of a long sample only the pages about the one in view are looked at. */
  looked(page) {
    const [first, last] = this.found.pages;
    return !this.found.fields.length || (first <= page && page <= last);
  }

  // Ask what the plan finds, with a field as it is being typed. Only the newest answer counts.
  async look(draft = null, key = "") {
    if (!this.id) return null;
    const mine = (this.asked += 1);
    this.drafted = [draft, key];
    if (!this.found) this.part("found-word").textContent = "reading the sample …";
    const asked = { field: draft, key, page: this.page };
    const found = await call("POST", `/api/v1/types/${this.type}/sample/${this.id}`, asked).catch((error) => ({
      problem: error.message,
      fields: [],
      checks: [],
      pages: [1, 1],
    }));
    if (mine !== this.asked) return null;
    this.found = found;
    this.draw();
    this.changed(found);
    return found;
  }

  of(key) {
    return this.found?.fields.find((field) => field.key === key);
  }

  light(key, turn = true) {
    this.lit = key;
    const first = this.of(key)?.values.find(Boolean);
    if (turn && first && first.page !== this.page) {
      this.page = first.page;
      this.turn(0);
    } else this.draw();
    if (first) this.reveal(first.box);
  }

  // A proposal's place: {page, box} or null.
  propose(place) {
    this.proposed = place;
    if (place && place.page !== this.page) {
      this.page = place.page;
      this.turn(0);
    } else this.draw();
    if (place) this.reveal(place.box);
  }

  reveal(box) {
    const scroll = this.root.querySelector(".sample-scroll");
    const high = this.root.querySelector(".sample-page").offsetHeight;
    const [top, bottom] = [box[1] * high, box[3] * high];
    if (top < scroll.scrollTop + 20 || bottom > scroll.scrollTop + scroll.clientHeight - 20)
      scroll.scrollTop = Math.max(0, top - 120);
  }

  draw() {
    const shapes = [];
    const places = (value) => [[value.page, value.box], ...value.more_places].filter(([page]) => page === this.page);
    const inner = (field) => field.key === this.lit || field.key.startsWith(`${this.lit}.`);
    for (const field of this.found?.fields || []) {
      for (const value of field.values.filter(Boolean)) {
        for (const [, box] of places(value)) shapes.push(this.rect(box, inner(field) ? "spot lit" : "spot", field.key));
      }
    }
    if (this.proposed?.page === this.page) shapes.push(this.rect(this.proposed.box, "proposed", ""));
    shapes.sort(
      (a, b) => b.getAttribute("width") * b.getAttribute("height") - a.getAttribute("width") * a.getAttribute("height"),
    );
    this.part("overlay").replaceChildren(...shapes);
    this.note();
  }

  rect(box, kind, key) {
    const made = svg("rect", {
      class: kind,
      x: box[0] * 1000,
      y: box[1] * 1000,
      width: Math.max(1, (box[2] - box[0]) * 1000),
      height: Math.max(1, (box[3] - box[1]) * 1000),
      "data-key": key,
    });
    const field = this.fields().find((one) => one.key === key);
    made.append(svg("title", {}));
    made.querySelector("title").textContent = field ? field.name : "";
    if (key) made.addEventListener("click", () => this.litBy(key));
    return made;
  }

  note() {
    const note = this.part("note");
    if (!this.samples.length) return;
    const found = this.lit && this.of(this.lit);
    const name =
      this.fields().find((one) => one.key === this.lit)?.name || (this.lit === "new_field" ? "The new field" : "");
    if (!found) {
      note.replaceChildren(
        element("span", "quiet", this.found?.problem || "Pick a field to see where it was found and why."),
      );
      return;
    }
    const rows = this.found.fields.filter((field) => field.key.startsWith(`${this.lit}.`));
    if (rows.length) {
      note.replaceChildren(element("b", "", name), table(rows, this.fields()));
      return;
    }
    const parts = [element("b", "", name), " "];
    found.values
      .filter(Boolean)
      .slice(0, 3)
      .forEach((value) => {
        parts.push(element("span", "mono", value.text));
        if (value.delivered !== value.text) parts.push(element("span", "quiet mono", ` → ${value.delivered}`));
        parts.push(element("span", "quiet", ` ${value.engine}: ${value.why}. `));
      });
    found.derived.forEach((value) =>
      parts.push(element("span", "mono", value), element("span", "quiet", " worked out. ")),
    );
    if (found.values.length === 0 && found.derived.length === 0)
      parts.push(element("span", "held", "is not found on this sample."));
    note.replaceChildren(...parts);
    if (found.others.length)
      note.append(
        element(
          "span",
          "quiet small",
          `Next in line: ${found.others
            .slice(0, 4)
            .map((one) => one.text)
            .join(" · ")}`,
        ),
      );
  }

  // Sweep a region: resolves to {page, box} or null when nothing was swept.
  sweep() {
    this.part("overlay").classList.add("sweeping");
    return new Promise((resolve) => {
      this.swept = resolve;
    });
  }

  press(event) {
    if (!this.swept) return;
    const overlay = this.part("overlay");
    const frame = overlay.getBoundingClientRect();
    const at = (one) => [(one.clientX - frame.left) / frame.width, (one.clientY - frame.top) / frame.height];
    const start = at(event);
    const move = (now) => {
      this.proposed = { page: this.page, box: ordered(start, at(now)) };
      this.draw();
    };
    const up = (now) => {
      overlay.removeEventListener("pointermove", move);
      overlay.classList.remove("sweeping");
      const box = ordered(start, at(now));
      const done = this.swept;
      this.swept = null;
      done(box[2] - box[0] > 0.02 && box[3] - box[1] > 0.01 ? { page: this.page, box } : null);
    };
    overlay.setPointerCapture(event.pointerId);
    overlay.addEventListener("pointermove", move);
    overlay.addEventListener("pointerup", up, { once: true });
  }
}

/** @param {number[]} from @param {number[]} to */
function ordered([ax, ay], [bx, by]) {
  const clip = (value) => Math.min(1, Math.max(0, value));
  return [clip(Math.min(ax, bx)), clip(Math.min(ay, by)), clip(Math.max(ax, bx)), clip(Math.max(ay, by))];
}

function table(columns, fields) {
  const made = element("table", "found-rows");
  const head = element("tr");
  columns.forEach((column) =>
    head.append(element("th", "", fields.find((one) => one.key === column.key)?.name || column.key)),
  );
  made.append(head);
  const count = Math.max(0, ...columns.map((column) => column.values.length));
  for (let at = 0; at < count; at += 1) {
    const row = element("tr");
    columns.forEach((column) => row.append(element("td", "mono", column.values[at]?.text || "")));
    made.append(row);
  }
  if (!count) made.append(element("tr", "quiet", ""));
  return count ? made : element("span", "held", "is not found on this sample.");
}
