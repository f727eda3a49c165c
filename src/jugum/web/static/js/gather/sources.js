// Folders, mail, batches: adding a source, switching, stopping, hurrying, removing.

import { call } from "../frame/server.js";
import { ask, tell } from "../frame/dialogs.js";

const workspace = document.querySelector("[data-workspace]").dataset.workspace;

async function then(promise, refused) {
  try {
    await promise;
    location.reload();
  } catch (error) {
    await tell(refused, error.message);
  }
}

document.getElementById("add-source")?.addEventListener("submit", (event) => {
  event.preventDefault();
  const form = Object.fromEntries(new FormData(event.target));
  const given = { ...form, type_id: form.type_id ? Number(form.type_id) : null };
  then(call("POST", `/api/v1/workspaces/${workspace}/sources`, given), "The source was not added");
});

document.getElementById("sources")?.addEventListener("click", (event) => {
  const active = event.target.dataset.switch;
  if (active)
    then(
      call("PUT", `/api/v1/sources/${event.target.closest("tr").dataset.id}/active`, { active: active === "true" }),
      "It was not switched",
    );
});

const batches = document.getElementById("batches");
batches?.addEventListener("change", (event) => {
  if (event.target.matches("[data-priority]"))
    then(
      call("PUT", `/api/v1/batches/${event.target.closest("tr").dataset.id}/priority`, {
        priority: Number(event.target.value),
      }),
      "The priority was not changed",
    );
});
batches?.addEventListener("click", async (event) => {
  const row = event.target.closest("tr");
  if (event.target.matches("[data-pause]"))
    then(call("POST", `/api/v1/batches/${row.dataset.id}/pause`), "It was not paused");
  if (event.target.matches("[data-resume]"))
    then(call("POST", `/api/v1/batches/${row.dataset.id}/resume`), "It was not resumed");
  if (event.target.matches("[data-remove]")) {
    const text =
      `The papers of the batch (${row.dataset.papers}) are deleted with what was read from them. Papers that ` +
      "somebody labelled or settled stay. The received files are kept.";
    if ((await ask({ title: `Delete the batch “${row.dataset.name}”?`, text, verb: "Delete" })) === null) return;
    try {
      const done = await call("DELETE", `/api/v1/batches/${row.dataset.id}`);
      await tell(
        "The batch is deleted",
        `${done.removed} ${done.removed === 1 ? "paper" : "papers"} deleted, ${done.kept} kept.`,
      );
      location.reload();
    } catch (error) {
      await tell("The batch was not deleted", error.message);
    }
  }
});

// Progress of what is being read follows by itself.
setInterval(async () => {
  if (!batches) return;
  for (const batch of await call("GET", `/api/v1/workspaces/${workspace}/batches`).catch(() => [])) {
    const bar = batches.querySelector(`tr[data-id="${batch.id}"] progress`);
    if (!bar || bar.value === batch.pages_read) continue;
    bar.max = batch.pages || 1;
    bar.value = batch.pages_read;
    bar.nextSibling.textContent = ` ${batch.pages_read} of ${batch.pages}`;
  }
}, 1500);
