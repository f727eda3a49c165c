// Gather: uploading with progress, rows that follow the reading, setting aside.

import { showAnew } from "../frame/leave.js";
import Alpine from "../../vendor/alpine.js";
import { call, upload } from "../frame/server.js";
import { setKeys } from "../frame/keys.js";
import { ask, tell } from "../frame/dialogs.js";
import { walkRows } from "../frame/lists.js";

const AT_ONCE = 3;
const POLL_MS = 700;
const type = document.body.dataset.type;

function uploadRow(file) {
  const row = document.createElement("li");
  const bar = document.createElement("progress");
  bar.max = 1;
  bar.value = 0;
  bar.setAttribute("aria-label", `${file.name} sent`);
  const said = document.createElement("span");
  said.className = "quiet";
  said.textContent = "waiting";
  row.append(bar, file.name, said);
  const list = document.querySelector("#uploads ul");
  list.append(row);
  document.getElementById("uploads").classList.remove("d-none");
  return { bar, said };
}

async function send(file, intake, again = false, row = uploadRow(file)) {
  const form = new FormData();
  for (const [name, value] of Object.entries(intake)) form.append(name, value);
  form.append("again", String(again));
  form.append("file", file);
  row.said.textContent = "being sent";
  row.said.className = "quiet";
  try {
    const got = await upload("/api/v1/documents", form, (share) => {
      row.bar.value = share;
    });
    row.bar.value = 1;
    if (!got.twin) {
      row.said.textContent = "kept, will be read";
      return true;
    }
    row.said.textContent = `this file was received before, as “${got.name}”. It was not imported. `;
    const button = document.createElement("button");
    button.className = "btn-quiet";
    button.textContent = "Import it anyway";
    button.addEventListener("click", () =>
      send(file, intake, true, row).then((kept) => {
        if (kept) location.reload();
      }),
    );
    row.said.append(button);
    return false;
  } catch (error) {
    row.said.textContent = error.message;
    row.said.className = "blocks";
    return false;
  }
}

async function sendAll(files, intake) {
  const waiting = files.map((file) => ({ file, row: uploadRow(file) }));
  let kept = 0;
  let told = 0;
  await Promise.all(
    Array.from({ length: AT_ONCE }, async () => {
      for (let one = waiting.shift(); one; one = waiting.shift()) {
        if (await send(one.file, intake, false, one.row)) kept += 1;
        else told += 1;
      }
    }),
  );
  // Rows come from the server; what could not be taken stays readable until the person leaves.
  if (kept && !told) location.href = location.pathname;
  else if (kept) watch();
}

function wholeFolder(items) {
  const files = [];
  const walk = async (entry) => {
    if (entry.isFile) files.push(await new Promise((resolve, reject) => entry.file(resolve, reject)));
    else {
      const reader = entry.createReader();
      for (;;) {
        const some = await new Promise((resolve, reject) => reader.readEntries(resolve, reject));
        if (!some.length) break;
        for (const child of some) await walk(child);
      }
    }
  };
  return Promise.all(
    [...items]
      .map((item) => item.webkitGetAsEntry?.())
      .filter(Boolean)
      .map(walk),
  ).then(() => files);
}

const SETTINGS = `jugum-upload-${type}`; // how files of this type came in last: so come the next, until it is changed
const chosenText = (id) => {
  const select = /** @type {HTMLSelectElement | null} */ (document.getElementById(id));
  return select?.selectedOptions[0]?.textContent.trim() ?? "";
};

/** What is chosen for the files to come. */
const uploadSettings = () => ({
  purpose: "sample",
  kind: "this",
  cut: "none",
  each: 2,
  engine: document.querySelector(".drop")?.dataset.engine || "careful",
  language: "eng",
  batch: "",
  note: "",
  said: "",
  ...JSON.parse(localStorage.getItem(SETTINGS) || "{}"),
  /** What was chosen stays for the next files, and is said beside the button. */
  keep() {
    const { purpose, kind, cut, each, engine, language, batch, note } = this;
    localStorage.setItem(SETTINGS, JSON.stringify({ purpose, kind, cut, each, engine, language, batch, note }));
    this.say();
  },
  say() {
    const parts = [
      `as ${this.purpose === "live" ? "live papers" : "samples"}`,
      this.kind === "any" ? "type found automatically" : `of type ${chosenText("kind")}`,
      this.cut === "none" ? "" : chosenText("cut").replace("is a ", "").replace("…", this.each),
      this.language.trim() === "eng" ? "" : `in language ${this.language}`,
      this.batch.trim() ? `in batch “${this.batch.trim()}”` : "",
    ];
    this.said = parts.filter(Boolean).join(", ");
  },
});

Alpine.data("upload", () => ({
  ...uploadSettings(),
  get byCount() {
    return this.cut === "every";
  },
  init() {
    setKeys({ u: () => this.choose() });
    this.$nextTick(() => this.say());
    window.addEventListener("dragover", (event) => {
      event.preventDefault();
      this.enter();
    });
    window.addEventListener("drop", (event) => {
      event.preventDefault();
      if (!this.$el.contains(event.target)) this.dropped(event);
    });
  },
  enter() {
    this.$el.closest(".drop")?.classList.add("over");
    document.querySelector(".drop").classList.add("over");
  },
  leave() {
    document.querySelector(".drop").classList.remove("over");
  },
  choose() {
    this.$refs.files.click();
  },
  chosen() {
    this.start([...this.$refs.files.files]);
    this.$refs.files.value = "";
  },
  async dropped(event) {
    this.leave();
    const plain = [...event.dataTransfer.files];
    const found = event.dataTransfer.items?.length ? await wholeFolder(event.dataTransfer.items) : [];
    this.start(found.length ? found : plain);
  },
  async start(files) {
    if (!files.length) return;
    this.keep();
    const workspace = this.$root.dataset.workspace;
    const intake = {
      purpose: this.purpose,
      engine: this.engine,
      language: this.language.trim() || "eng",
      cut: this.cut === "every" ? `every:${this.each}` : this.cut,
      workspace_id: workspace,
    };
    if (this.kind === "this") intake.type_id = type;
    if (this.batch.trim()) {
      try {
        const made = await call("POST", `/api/v1/workspaces/${workspace}/batches`, {
          name: this.batch,
          note: this.note,
        });
        intake.batch_id = made.id;
      } catch (error) {
        await tell("The batch was not created and nothing was sent", error.message);
        return;
      }
    }
    sendAll(files, intake);
  },
}));
Alpine.start();

// ---- Rows that are not done yet follow the reading ----

function unfinished() {
  return [...document.querySelectorAll('#papers tr[data-state="received"], #papers tr[data-state="placed"]')];
}

let watching = false;
async function watch() {
  if (watching) return;
  watching = true;
  const started = unfinished().filter((row) => row.dataset.state === "received").length;
  while (unfinished().length) {
    await new Promise((resolve) => setTimeout(resolve, POLL_MS));
    const ids = unfinished()
      .map((row) => row.dataset.id)
      .join(",");
    const now = await call("GET", `/api/v1/types/${type}/progress?ids=${ids}`).catch(() => null);
    if (now === null) continue;
    let changed = false;
    for (const paper of now) changed = show(paper) || changed;
    const reading = unfinished().filter((row) => row.dataset.state === "received").length;
    const title = document.querySelector("[data-title]");
    if (reading) title.textContent = `${reading} ${reading === 1 ? "paper is" : "papers are"} being read`;
    // Never while files are being sent or something is said about them: a reload would lose both.
    const sending = !document.getElementById("uploads")?.classList.contains("d-none");
    if (changed && !reading && started && !sending) {
      showAnew();
      return;
    }
    if (!reading) break; // what waits for a live version may wait for days
  }
  watching = false;
}

function show(paper) {
  const row = document.querySelector(`#papers tr[data-id="${paper.id}"]`);
  const cell = row.querySelector('[data-cell="state"]');
  row.dataset.revision = paper.revision;
  if (paper.state !== "received") {
    row.dataset.state = paper.state;
    cell.textContent = paper.state;
    return true;
  }
  if (paper.page_count) {
    let bar = cell.querySelector("progress");
    if (!bar) {
      bar = document.createElement("progress");
      bar.setAttribute("aria-label", "pages read");
      cell.replaceChildren(bar, document.createElement("span"));
    }
    bar.max = paper.page_count;
    bar.value = paper.pages_read;
    (cell.querySelector("span") || cell.appendChild(document.createElement("span"))).textContent =
      ` ${paper.pages_read} of ${paper.page_count}`;
    [...cell.childNodes].filter((node) => node.nodeType === 3).forEach((node) => node.remove());
  }
  return false;
}
watch();

// ---- Setting aside and trying again ----

// The revision that the row shows; another person's change since then is said instead of overwritten.
const knownOf = (row) => Number(row.dataset.revision);

async function setAside(row) {
  const name = row.querySelector(".name").firstElementChild.textContent;
  const reason = await ask({
    title: `Why can't “${name}” be used?`,
    verb: "Set aside",
    input: "",
    placeholder: "such as: second page missing",
  });
  if (reason === null) return;
  try {
    await call("POST", `/api/v1/documents/${row.dataset.id}/set-aside`, { reason, revision: knownOf(row) });
    location.reload();
  } catch (error) {
    await tell("The paper was not set aside", error.message);
  }
}

const papers = document.getElementById("papers");
papers?.addEventListener("click", async (event) => {
  const row = event.target.closest("tr");
  if (event.target.matches("[data-set-aside]")) await setAside(row);
  if (event.target.matches("[data-unlock]")) await unlock(row);
  if (event.target.matches("[data-return]")) {
    await call("POST", `/api/v1/documents/${row.dataset.id}/return`, { revision: knownOf(row) }).then(
      () => location.reload(),
      (error) => tell("The paper was not returned", error.message),
    );
  }
});
if (papers) {
  const current = walkRows("#papers");
  setKeys({
    x: () => {
      const row = current();
      if (row) setAside(row);
    },
    v: () => {
      const link = current()?.querySelector("[data-explore]");
      if (link) location.href = link.href;
    },
  });
}

// The password goes to the server once, and stays nowhere: neither here nor there.
async function unlock(row) {
  const name = row.querySelector(".name").firstElementChild.textContent;
  const password = await ask({ title: `Password of “${name}”`, verb: "Open", input: "", secret: true });
  if (password === null) return;
  try {
    await call("POST", `/api/v1/documents/${row.dataset.id}/unlock`, { password, revision: knownOf(row) });
    location.reload();
  } catch (error) {
    await tell("The paper was not opened", error.message);
  }
}

// ---- Papers that fit no type ----

const unplaced = document.getElementById("unplaced");
async function place(row, type_id) {
  row.classList.add("quiet");
  try {
    await call("POST", `/api/v1/documents/${row.dataset.id}/place`, { type_id, revision: knownOf(row) });
    if (type_id === null) location.reload();
    else row.remove();
    if (!unplaced.querySelector("tr[data-id]")) location.reload();
  } catch (error) {
    row.classList.remove("quiet");
    await tell("The type was not set", error.message);
  }
}
unplaced?.addEventListener("click", (event) => {
  const button = event.target.closest("[data-place]");
  const row = event.target.closest("tr");
  if (button) place(row, button.dataset.place ? Number(button.dataset.place) : null);
  else if (event.target.matches("[data-set-aside]")) setAside(row);
});
if (unplaced) {
  const byNumber = (number) => {
    const row = unplaced.querySelector("tr[data-id]");
    const buttons = row.querySelectorAll("[data-place]");
    const button = number ? buttons[number - 1] : row.querySelector('[data-place=""]');
    button?.click();
  };
  setKeys(Object.fromEntries(Array.from({ length: 10 }, (_, number) => [String(number), () => byNumber(number)])));
}
