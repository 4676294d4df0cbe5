// Small helpers that every screen uses.

import { waitFor } from "./waiting.js";

/** @type {(selector: string, root?: ParentNode) => any} The first element; callers know what it is. */
export const one = (selector, root = document) => root.querySelector(selector);
/** @type {(selector: string, root?: ParentNode) => any[]} */
export const all = (selector, root = document) => [...root.querySelectorAll(selector)];

let quieting;

/** Say a sentence at the foot of the screen, and to screen readers. */
export function say(message) {
  const slip = one("#said");
  slip.textContent = message;
  slip.hidden = false;
  clearTimeout(quieting);
  quieting = setTimeout(() => (slip.hidden = true), 6000);
}

/** Say what a page that has just been left wanted said. */
export function sayOnce() {
  const words = sessionStorage.getItem("said once");
  sessionStorage.removeItem("said once");
  if (words) say(words);
}

/** An answer that refused, with its status; none where there was no answer at all. */
export class Refused extends Error {
  /** @param {string} message @param {number} [status] */
  constructor(message, status) {
    super(message);
    this.status = status;
  }
}

/**
 * Fetch, with errors as sentences; `json` or `form` is sent as the body. Unless it is quiet, it is seen when it takes
 * long, and what changes nothing can be stopped then.
 *
 * @param {string} address
 * @param {{ method?: string, json?: unknown, form?: FormData, signal?: AbortSignal, keepalive?: boolean,
 *   quiet?: boolean }} [asked]
 * @throws {Refused}
 */
export async function ask(address, { method = "GET", json, form, signal, keepalive, quiet } = {}) {
  /** @type {Record<string, string>} */
  const headers = { accept: "application/json" };
  if (json !== undefined) headers["content-type"] = "application/json";
  const body = json === undefined ? form : JSON.stringify(json);
  const own = method === "GET" && !signal ? new AbortController() : null;
  const over = quiet ? () => {} : waitFor(own && (() => own.abort()));
  let response;
  try {
    response = await fetch(address, { method, signal: own?.signal ?? signal, headers, body, keepalive });
  } catch (error) {
    if (own?.signal.aborted) throw new Refused("Stopped. Nothing was changed.");
    if (error instanceof Error && error.name === "AbortError") throw error;
    throw new Refused("The application cannot be reached. Nothing was lost; try again in a moment.");
  } finally {
    over();
  }
  if (!response.ok) {
    const said = await response.json().catch(() => ({}));
    throw new Refused(said.message ?? "That did not work. Nothing was changed.", response.status);
  }
  return response;
}

/** A plain copy of a document, also of one that is watched. */
export const clone = (value) => JSON.parse(JSON.stringify(value));

/** Put what is seen into the address, so that reload, back and sharing show the same; null takes a name out. */
export function setAddress(changes) {
  const address = new URL(location.href);
  for (const [name, value] of Object.entries(changes)) {
    if (value === null) address.searchParams.delete(name);
    else address.searchParams.set(name, value);
  }
  history.replaceState(null, "", address);
}

/** The value at a path of names joined by dots; undefined where the path leads nowhere. */
export function getAt(object, path) {
  return path.split(".").reduce((inner, name) => inner?.[name], object);
}

/** Set a value at a path of names joined by dots. */
export function setAt(object, path, value) {
  const names = path.split(".");
  const last = names.pop();
  names.reduce((inner, name) => inner[name], object)[last] = value;
}

/** Mark one of several pressed buttons. */
export function press(buttons, chosen) {
  for (const button of buttons) button.setAttribute("aria-pressed", String(button === chosen));
}

/** Put a picture's new address in place once it is decoded, so that nothing flickers, if it is still wanted then. */
export async function swapPicture(image, address, wanted = () => true) {
  const next = new Image();
  next.src = address;
  await next.decode();
  if (wanted()) image.src = address;
}

export const surround = () => ({
  choose(event) {
    const button = event.currentTarget;
    document.documentElement.dataset.surround = button.dataset.name;
    document.cookie = `surround=${button.dataset.name};path=/;max-age=31536000;samesite=strict`;
    press(all("button", button.parentElement), button);
  },
});
