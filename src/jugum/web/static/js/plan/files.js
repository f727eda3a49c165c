// Plans and lists as files: in, out, and as new document types.

import { call } from "../frame/server.js";
import { ask, tell } from "../frame/dialogs.js";

/** Choose a plan file: for this type, or (`asNew`) for a new one. */
export function importPlan(plan, chooser, workspace, asNew) {
  chooser.value = "";
  chooser.onchange = async () => {
    try {
      const body = JSON.parse(await chooser.files[0].text());
      if (asNew) {
        const { id } = await call("POST", `/api/v1/workspaces/${workspace}/plans`, body);
        location.href = `/types/${id}/plan`;
      } else {
        await call("PUT", `/api/v1/types/${plan.type}/plan.json?number=${plan.number}`, body);
        await plan.saved();
      }
    } catch (error) {
      const why = error instanceof SyntaxError ? `The file is not JSON: ${error.message}` : error.message;
      tell("The file was not imported", why);
    }
  };
  chooser.click();
}

export async function copyType(plan) {
  const name = await ask({
    title: "Copy this plan as a new document type",
    verb: "Copy",
    input: "",
    placeholder: "its name",
  });
  if (!name) return;
  try {
    const { id } = await call("POST", `/api/v1/types/${plan.type}/copy`, { name });
    location.href = `/types/${id}/plan`;
  } catch (error) {
    tell("The plan was not copied", error.message);
  }
}

/** The form that loads a list of a CSV's first column; `problem` is where a refusal is shown. */
export function listForm(plan, form, problem, workspace) {
  form.addEventListener("submit", async (event) => {
    event.preventDefault();
    const body = new FormData();
    body.append("file", form.file.files[0]);
    try {
      await call("POST", `/api/v1/workspaces/${workspace}/lists/${encodeURIComponent(form.name.value)}/csv`, body);
      form.reset();
      problem.textContent = "";
      await plan.reload();
    } catch (error) {
      problem.textContent = error.message;
    }
  });
}
