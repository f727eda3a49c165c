// Talking to the server: JSON, the CSRF token, and errors as words.

const token = document.querySelector('meta[name="csrf"]')?.content || "";

export class Refused extends Error {
  constructor(message, status) {
    super(message);
    this.status = status;
  }
}

// Resolves to the parsed answer; throws Refused with the server's words, or with status 0 when it can't be reached. The
// `last` words of a page are sent though it is left.
export async function call(method, path, body, last = false) {
  const form = body instanceof FormData;
  let response;
  try {
    response = await fetch(path, {
      method,
      keepalive: last,
      headers: {
        "X-CSRF-Token": token,
        Accept: "application/json",
        ...(body && !form ? { "Content-Type": "application/json" } : {}),
      },
      body: body === undefined ? undefined : form ? body : JSON.stringify(body),
    });
  } catch {
    throw new Refused("The server can't be reached.", 0);
  }
  if (response.status === 204) return null;
  const answer = await response.json().catch(() => ({ error: `The server answered ${response.status}.` }));
  if (!response.ok) throw new Refused(answer.error || `The server answered ${response.status}.`, response.status);
  return answer;
}

/**
 * Like `call` for what takes long: told(done, of) hears how far it is.
 * @param {string} method
 * @param {string} path
 * @param {FormData} form
 * @param {(done: number, of: number) => void} told
 */
export async function follow(method, path, form, told) {
  const response = await fetch(path, {
    method,
    headers: { "X-CSRF-Token": token, Accept: "application/x-ndjson, application/json" },
    body: form,
  }).catch(() => {
    throw new Refused("The server can't be reached.", 0);
  });
  if (!response.ok || !response.body) {
    const answer = await response.json().catch(() => ({}));
    throw new Refused(answer.error || `The server answered ${response.status}.`, response.status);
  }
  let rest = "";
  const reader = response.body.pipeThrough(new TextDecoderStream()).getReader();
  for (let part = await reader.read(); !part.done; part = await reader.read()) {
    const lines = (rest + part.value).split("\n");
    rest = lines.pop();
    for (const line of lines.map((one) => JSON.parse(one))) {
      if ("error" in line) throw new Refused(line.error, line.status);
      if ("result" in line) return line.result;
      told(line.done, line.of);
    }
  }
  throw new Refused("The server stopped in the midst of it. Look at what was saved before you try again.", 0);
}

// Upload with progress (0–1); fetch can't tell how much has gone.
export function upload(path, form, progress) {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("POST", path);
    request.setRequestHeader("X-CSRF-Token", token);
    request.setRequestHeader("Accept", "application/json");
    request.upload.addEventListener(
      "progress",
      (event) => event.lengthComputable && progress(event.loaded / event.total),
    );
    request.addEventListener("error", () =>
      reject(new Refused("The server can't be reached; the file was not sent.", 0)),
    );
    request.addEventListener("load", () => {
      let answer = {};
      try {
        answer = JSON.parse(request.responseText);
      } catch {
        /* told below */
      }
      if (request.status < 300) resolve(answer);
      else reject(new Refused(answer.error || `The server answered ${request.status}.`, request.status));
    });
    request.send(form);
  });
}
