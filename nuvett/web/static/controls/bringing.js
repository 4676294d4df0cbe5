// Looks and lookup tables brought into the lookbook, many at once; those that cannot be used are named.

import { one } from "../lib/common.js";

const AT_ONCE = 25; // files sent in one request
const MAX_NAMED = 6; // refusals that are told one by one

async function sendBatch(batch, found) {
  const form = new FormData();
  for (const file of batch) form.append("file", file, file.name);
  const said = await (await fetch("/lookbook/files", { method: "POST", body: form })).json();
  found.made += said.made?.length ?? 0;
  found.again += said.again ?? 0;
  found.refused.push(...(said.refused ?? [{ name: "These files", words: said.message }]));
}

function inWords({ made, again, refused }) {
  const words = [`${made} brought in`];
  if (again) words.push(`${again} ${again === 1 ? "was" : "were"} there already`);
  words.push(...refused.slice(0, MAX_NAMED).map(({ name, words: why }) => `${name}: ${why}`));
  if (refused.length > MAX_NAMED) words.push(`${refused.length - MAX_NAMED} more could not be used`);
  return words.join("; ");
}

/** Send files a batch at a time, two batches at once; then show the book with them in it. */
export async function bringIn(root, query, files) {
  if (!files.length) return;
  const slip = one("[data-arriving]", root);
  const ordered = [...files].sort((a, b) => a.name.localeCompare(b.name));
  const found = { made: 0, again: 0, refused: [] };
  let sent = 0;
  const send = async () => {
    while (ordered.length) {
      const batch = ordered.splice(0, AT_ONCE);
      try {
        await sendBatch(batch, found);
      } catch {
        found.refused.push({ name: "The connection broke", words: "bring in the rest again" });
        return;
      }
      sent += batch.length;
      slip.textContent = `Brought in ${sent} of ${files.length}…`;
    }
  };
  slip.hidden = false;
  slip.textContent = `Bringing in ${files.length}…`;
  await Promise.all([send(), send()]);
  if (!found.made) {
    slip.textContent = inWords(found);
    return;
  }
  sessionStorage.setItem("said once", inWords(found));
  location.assign(`/lookbook?${query}`);
}
