// The frame of every page: palette, keys, theme, choice of document type.

import { keepForms } from "./drafts.js";
import { call } from "./server.js";
import { setKeys } from "./keys.js";

const { type, step } = document.body.dataset;

function switchTheme() {
  const dark = document.documentElement.dataset.bsTheme !== "dark";
  document.documentElement.dataset.bsTheme = dark ? "dark" : "light";
  localStorage.setItem("jugum-theme", dark ? "dark" : "light");
  nameTheme();
}

function nameTheme() {
  const dark = document.documentElement.dataset.bsTheme === "dark";
  document.querySelectorAll("[data-theme-switch]").forEach((button) => {
    button.textContent = dark ? "Switch to light" : "Switch to dark";
  });
}

/** A place of the palette that is a page. @param {string[]} of its label, what it is, its address */
function leading([label, detail, address]) {
  return {
    label,
    detail,
    go: () => {
      location.href = address;
    },
  };
}

class Palette {
  constructor(dialog) {
    this.dialog = dialog;
    this.input = dialog.querySelector("input");
    this.list = dialog.querySelector("ul");
    this.chosen = 0;
    this.input.addEventListener("input", () => this.look());
    this.input.addEventListener("keydown", (event) => this.key(event));
    this.list.addEventListener("click", (event) => {
      const item = event.target.closest("li");
      if (item) this.go(item);
    });
  }

  open() {
    this.input.value = "";
    this.dialog.showModal();
    this.look();
  }

  places() {
    const links = [...document.querySelectorAll("[data-step-link]")];
    const steps = links.map((link) => leading([link.querySelector("b").textContent, "step", link.href]));
    const more = [
      ["Overview", "view", "/"],
      ["API keys", "view", "/keys"],
      ["Guide", "help", "/guide"],
      ["API for client programs", "view", "/api"],
    ];
    if (type)
      more.push(
        ["Folders, mail, batches", "view", `/types/${type}/sources`],
        ["Label the next sample", "action", `/types/${type}/label/next`],
        ["Review the next held paper", "action", `/types/${type}/review/next`],
      );
    const theme = { label: "Switch between light and dark", detail: "action", go: switchTheme };
    return [...steps, ...more.map(leading), theme];
  }

  async look() {
    const words = this.input.value.trim();
    const fits = (place) =>
      words
        .toLowerCase()
        .split(/\s+/)
        .every((word) => place.label.toLowerCase().includes(word));
    this.show(this.places().filter(fits));
    if (words.length < 2) return;
    const hits = await call("GET", `/api/v1/search?q=${encodeURIComponent(words)}`).catch(() => []);
    if (this.input.value.trim() !== words) return;
    const found = hits.map((hit) => leading([hit.label, hit.detail, hit.address]));
    this.show([...this.places().filter(fits), ...found]);
  }

  show(places) {
    this.shown = places;
    this.chosen = 0;
    this.list.replaceChildren(
      ...places.map((place, index) => {
        const item = document.createElement("li");
        item.setAttribute("role", "option");
        item.dataset.index = index;
        item.append(place.label);
        const detail = document.createElement("span");
        detail.textContent = place.detail;
        item.append(detail);
        return item;
      }),
    );
    this.mark();
  }

  mark() {
    [...this.list.children].forEach((item, index) => {
      item.setAttribute("aria-selected", index === this.chosen);
      if (index === this.chosen) item.scrollIntoView({ block: "nearest" });
    });
  }

  key(event) {
    if (event.key === "ArrowDown" || event.key === "ArrowUp") {
      event.preventDefault();
      const count = this.shown.length || 1;
      this.chosen = (this.chosen + (event.key === "ArrowDown" ? 1 : count - 1)) % count;
      this.mark();
    } else if (event.key === "Enter" && this.shown.length) {
      event.preventDefault();
      this.go(this.list.children[this.chosen]);
    }
  }

  go(item) {
    this.dialog.close();
    this.shown[Number(item.dataset.index)].go();
  }
}

const paletteDialog = document.getElementById("palette");
if (paletteDialog) {
  const palette = new Palette(paletteDialog);
  const keys = document.getElementById("keys");
  setKeys({ "Ctrl+k": () => palette.open(), "?": () => keys.showModal() });
  document.querySelector('[data-open="palette"]').addEventListener("click", () => palette.open());
  document.querySelector('[data-open="keys"]').addEventListener("click", () => keys.showModal());
  document.querySelectorAll("[data-theme-switch]").forEach((button) => button.addEventListener("click", switchTheme));
  nameTheme();
}
document.getElementById("type-choice")?.addEventListener("change", (event) => {
  location.href = `/types/${event.target.value}/${event.target.dataset.step || step || "gather"}`;
});
document.addEventListener("click", (event) => {
  document.querySelectorAll("details.menu[open]").forEach((menu) => {
    if (!menu.contains(event.target)) menu.open = false;
  });
});
document.querySelectorAll("dialog").forEach((dialog) =>
  dialog.addEventListener("click", (event) => {
    if (event.target === dialog) dialog.close();
  }),
);
keepForms();

// A list follows what is chosen at once, also before this was loaded; what is typed (a day passes through the year 2)
// is sent by Enter or Show.
for (const select of /** @type {NodeListOf<HTMLSelectElement>} */ (
  document.querySelectorAll("form[data-filters] select")
)) {
  select.addEventListener("change", () => select.form.requestSubmit());
  const shown = [...select.options].find((option) => option.defaultSelected) || select.options[0];
  if (shown && select.value !== shown.value) select.form.requestSubmit();
}
