// Files dropped or pasted anywhere on a page: taken where the screen has a use for them, refused with a word elsewhere.
// The browser never leaves the page for one.

import { say } from "./common.js";

const ELSEWHERE = "Files cannot be added here: photos go to Gather, stills to Read, tables and looks to the Lookbook.";

/** @type {((files: File[]) => void) | null} */
let taker = null;

/** What takes files on this screen from now on. */
export function takeDropped(take) {
  taker = take;
}

/** Files but for hidden ones. */
export const plainFiles = (files) => [...files].filter((file) => !file.name.startsWith("."));

async function filesOfEntry(entry) {
  if (entry.isFile) return [await new Promise((resolve, reject) => entry.file(resolve, reject))];
  const reader = entry.createReader();
  const found = [];
  for (;;) {
    const batch = await new Promise((resolve, reject) => reader.readEntries(resolve, reject));
    if (!batch.length) return found;
    for (const inner of batch) found.push(...(await filesOfEntry(inner)));
  }
}

function hand(files) {
  if (!files.length) return;
  if (taker) taker(files);
  else say(ELSEWHERE);
}

const holdsFiles = (event) => event.dataTransfer?.types.includes("Files");

/** A picture from the clipboard has no name of its own: it is called by the time at which it was pasted. */
function named(file) {
  const time = new Date().toTimeString().slice(0, 8).replaceAll(":", "-");
  const ending = file.name.split(".").at(-1) || "png";
  return new File([file], `Pasted ${time}.${ending}`, { type: file.type });
}

/** Listen on the whole page. */
export function listenForDrops() {
  document.addEventListener("dragover", (event) => {
    if (holdsFiles(event)) event.preventDefault();
  });
  document.addEventListener("drop", async (event) => {
    if (!holdsFiles(event)) return;
    event.preventDefault();
    const entries = [...(event.dataTransfer?.items ?? [])].map((item) => item.webkitGetAsEntry?.()).filter(Boolean);
    const files = entries.length
      ? (await Promise.all(entries.map(filesOfEntry))).flat()
      : [...(event.dataTransfer?.files ?? [])];
    hand(plainFiles(files));
  });
  document.addEventListener("paste", (event) => {
    const pictures = [...(event.clipboardData?.files ?? [])].filter((file) => file.type.startsWith("image/"));
    if (!pictures.length || event.target?.closest?.("input, textarea")) return;
    event.preventDefault();
    hand(pictures.map(named));
  });
}
