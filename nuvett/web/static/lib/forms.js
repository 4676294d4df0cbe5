/** Set a value at a path such as `outputs.0.format` in nested objects and arrays. */
function place(target, path, value) {
  const [head, ...rest] = path;
  if (!rest.length) {
    target[head] = value;
    return;
  }
  target[head] ??= /^\d+$/.test(rest[0]) ? [] : {};
  place(target[head], rest, value);
}

/**
 * What a form says, as one document: fields by their dotted names. Boxes are true or false; what is empty or disabled
 * is left out, except texts, which may be emptied.
 * @param {HTMLFormElement} form
 */
export function collected(form) {
  /** @type {Record<string, any>} */
  const found = {};
  for (const field of /** @type {Iterable<any>} */ (form.elements)) {
    if (!field.name || field.disabled) continue;
    if (field.type === "checkbox") place(found, field.name.split("."), field.checked);
    else if (field.value !== "" || field.type === "text" || field.type === "textarea") {
      place(found, field.name.split("."), field.value);
    }
  }
  return found;
}

/**
 * Send forms whose answer takes a while once only: their button says what is done meanwhile, and takes no second click.
 */
export function sendOnce() {
  document.addEventListener("submit", (event) => {
    const form = /** @type {HTMLFormElement} */ (event.target);
    const button = /** @type {HTMLButtonElement | null} */ (event.submitter ?? form.querySelector("button"));
    if (!form.dataset.once || !button) return;
    (button.querySelector("span") ?? button).textContent = form.dataset.once;
    // What a button sends along is taken after this event, and only of one that is not disabled.
    setTimeout(() => form.querySelectorAll("button").forEach((one) => (one.disabled = true)));
  });
}
