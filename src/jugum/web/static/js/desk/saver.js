// Saving as one goes: changes are sent one after another, kept on this machine until the server has them, and sent
// again after a broken connection. Nothing that was entered is lost.

import { call } from "../frame/server.js";

const RETRY_MS = 2500;

export class Saver {
  // path(key) gives the address of a field; told(text, kind) shows the state; conflict(item) is called when somebody
  // else changed the paper meanwhile; saved(item, answer) after each success.
  constructor({ name, path, revision, told, conflict, saved, refused, retryMs = RETRY_MS }) {
    this.name = name;
    this.path = path;
    this.revision = revision;
    this.told = told;
    this.conflict = conflict;
    this.saved = saved;
    this.refused = refused;
    this.retryMs = retryMs;
    this.waiting = JSON.parse(localStorage.getItem(name) || "[]");
    this.busy = null;
    window.addEventListener("beforeunload", (event) => {
      if (this.waiting.length) event.preventDefault();
    });
  }

  put(key, body) {
    this.waiting = this.waiting.filter((item) => item.key !== key || item === this.sending);
    this.waiting.push({ key, body });
    this.keep();
    return this.run();
  }

  keep() {
    if (this.waiting.length) localStorage.setItem(this.name, JSON.stringify(this.waiting));
    else localStorage.removeItem(this.name);
  }

  // Resolves when all is saved (or given up to a conflict).
  run() {
    this.busy =
      this.busy ||
      this.work().finally(() => {
        this.busy = null;
      });
    return this.busy;
  }

  async work() {
    while (this.waiting.length) {
      this.sending = this.waiting[0];
      this.told("Saving…");
      try {
        const answer = await this.send(this.sending);
        this.drop(this.sending);
        await this.saved(this.sending, answer);
      } catch (error) {
        if (error.status === 0 || error.status === 503) {
          this.told(`Not saved yet: ${error.message} What you entered is kept here and sent again.`, "held");
          await new Promise((resolve) => setTimeout(resolve, this.retryMs));
        } else {
          const item = this.sending;
          this.drop(item);
          if (error.status === 409) await this.conflict(item, error);
          else await this.refused(item, error);
        }
      }
    }
    this.sending = null;
  }

  // An answer is put; one without a body is taken back.
  send({ key, body }) {
    const revision = this.revision(key);
    if (body === null) return call("DELETE", `${this.path(key)}?revision=${revision}`);
    return call("PUT", this.path(key), { ...body, revision });
  }

  get unsent() {
    return new Set(this.waiting.map((item) => item.key));
  }

  drop(item) {
    this.waiting = this.waiting.filter((other) => other !== item);
    this.keep();
  }
}
