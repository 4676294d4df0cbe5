// Keeping a document that other windows may change, too.

import { ask, Refused, say } from "./common.js";
import { merged } from "./merging.js";

/**
 * Have a document kept; where it was changed elsewhere since this window knew it, both changes hold.
 *
 * @param {string} address where it is kept
 * @param {{ document: any, revision: number, known: any }} held the document, its revision, and what that was
 * @returns {Promise<any>} what is kept now
 */
export async function keepMerged(address, { document, revision, known }) {
  try {
    return await (await ask(address, { method: "PUT", json: { document, revision } })).json();
  } catch (error) {
    if (!(error instanceof Refused) || error.status !== 409) throw error;
    const now = await (await ask(address)).json();
    const json = { document: merged(known, document, now.document), revision: now.revision };
    const kept = await (await ask(address, { method: "PUT", json })).json();
    say("This was changed in another window, too. Both changes are kept.");
    return kept;
  }
}
