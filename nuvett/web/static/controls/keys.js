import { all, one, say } from "../lib/common.js";
import { openLarge } from "./large.js";

// At a value signs are typed, and never work a control elsewhere; Escape leaves it.
const atValue = (event) =>
  event.key.length === 1 && !"?[]".includes(event.key) && event.target.closest(".live");
const typing = (target) => target.closest("input:not([type=checkbox]), textarea, select, [contenteditable]");

function stageBeside(step) {
  const stages = all("[data-stage]");
  const here = stages.findIndex((stage) => stage.hasAttribute("aria-current"));
  const next = stages[here + step];
  if (here >= 0 && next) next.click();
}

function partBeside(step) {
  const parts = all("[data-part-name]");
  const here = parts.findIndex((part) => part.contains(document.activeElement));
  const next = parts.at((here + step + parts.length) % parts.length);
  if (!next) return;
  const first = one("a[href], button:not([disabled]), input, select, [tabindex='0']", next);
  (next.matches("[tabindex]") ? next : first)?.focus();
  say(next.dataset.partName);
}

/** Undo and redo as everywhere: by Ctrl, or Cmd, with Z and Y. Whether it was that. */
function walkedBack(event) {
  const letter = event.key.toLowerCase();
  if (!(event.ctrlKey || event.metaKey) || event.altKey || !"zy".includes(letter)) return false;
  if (typing(event.target) || one("dialog[open]")) return false;
  const forward = letter === "y" || event.shiftKey;
  const control = all(forward ? "[data-redo]" : "[data-undo]").find((found) => found.getClientRects().length);
  event.preventDefault();
  if (control && !control.disabled) control.click();
  else say(forward ? "There is nothing to redo." : "There is nothing to undo.");
  return true;
}

/** The control that a key works: of several, the one that is seen. */
function controlOf(key) {
  const found = all(`[data-key="${CSS.escape(key)}"]`);
  return found.find((control) => control.getClientRects().length) ?? found[0];
}

function toggleDialog(id) {
  const dialog = document.getElementById(id);
  if (dialog.open) dialog.close();
  else dialog.showModal();
}

/** Keys of the screen work the control that carries them in `data-key`; held ones tell it when they go down and up. */
export function listenForKeys() {
  const down = new Set();
  document.addEventListener("keydown", (event) => {
    if (event.key === "Escape" && event.target.closest(".live")) return event.target.blur();
    if (walkedBack(event)) return;
    if (event.ctrlKey || event.metaKey || event.altKey || typing(event.target) || atValue(event)) return;
    const open = one("dialog[open]");
    if (event.key === "?" && (!open || open.id === "keys")) return toggleDialog("keys");
    if (open) return;
    if (event.key === "[" || event.key === "]") return stageBeside(event.key === "[" ? -1 : 1);
    if (event.key === "." || event.key === ",") return partBeside(event.key === "." ? 1 : -1);
    if (event.key === "x" && one("[data-large]:is(button)")) return openLarge();
    if (event.key === "h" && document.body.dataset.screen === "gather") {
      return document.activeElement?.closest("figure")?.querySelector("[data-hero]")?.click();
    }
    const control = controlOf(event.key);
    if (!control || control.disabled) return;
    event.preventDefault();
    if ("held" in control.dataset) {
      if (!down.has(event.key)) control.dispatchEvent(new CustomEvent("hold"));
      down.add(event.key);
    } else if (control.matches("input[type=search]")) {
      control.focus();
    } else {
      control.click();
    }
  });
  document.addEventListener("keyup", (event) => {
    if (down.delete(event.key)) controlOf(event.key)?.dispatchEvent(new CustomEvent("release"));
  });
  document.addEventListener("click", (event) => {
    const opener = event.target.closest("[data-dialog]");
    if (opener) toggleDialog(opener.dataset.dialog);
  });
}
