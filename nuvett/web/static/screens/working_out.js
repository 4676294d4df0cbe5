// Working a look out: from pairs of before and after, or from a finished series.

import { all, ask, one, say } from "../lib/common.js";
import { acceptFiles, sendFiles } from "../lib/upload.js";

export const workOut = () => ({
  root: null,
  init() {
    const root = this.$el;
    this.root = root;
    this.addPair();
    one("[data-add-pair]", root).addEventListener("click", () => this.addPair());
    one("[data-work]", root).addEventListener("click", () => this.work());
    acceptFiles("finished", (files) => this.readFinished(files));
  },
  addPair() {
    one("[data-pairs]", this.root).append(one("[data-pair-template]", this.root).content.cloneNode(true));
  },
  /** Say what is done, or went wrong; what can be stopped has a signal, which the server sees by itself. */
  tell(words, stoppable = false) {
    const [slip, stop] = ["[data-working]", "[data-stop]"].map((what) => one(what, this.root));
    slip.hidden = !words;
    one("[data-working-words]", slip).textContent = words;
    stop.hidden = !stoppable;
    if (!stoppable) return undefined;
    const stopping = new AbortController();
    stop.onclick = () => stopping.abort();
    return stopping.signal;
  },
  failed(error) {
    this.tell(error.name === "AbortError" ? "Stopped. Nothing was kept." : error.message);
  },
  show(id) {
    const { slug } = this.root.dataset;
    location.assign(`/lookbook/${id}${slug ? `?series=${slug}` : ""}`);
  },
  async work() {
    const form = new FormData();
    let count = 0;
    for (const row of all("[data-pairs] li", this.root)) {
      const [before, after] = ["before", "after"].map((what) => one(`[data-${what}]`, row).files[0]);
      if (!before && !after) continue;
      if (!before || !after) return say("A pair needs both pictures, before and after.");
      form.append("before", before, before.name);
      form.append("after", after, after.name);
      count += 1;
    }
    if (!count) return say("Choose the pictures of a pair first.");
    const signal = this.tell(`Laying ${count === 1 ? "the pair" : `${count} pairs`} over each other…`, true);
    try {
      this.show((await (await ask("/lookbook/pairs", { method: "POST", form, signal })).json()).id);
    } catch (error) {
      this.failed(error);
    }
    return undefined;
  },
  async readFinished(files) {
    if (!files.length) return;
    const folder = files[0].webkitRelativePath?.split("/")[0] || "A finished series";
    const form = new FormData();
    form.append("name", folder);
    try {
      const { id } = await (await ask("/lookbook/finished", { method: "POST", form })).json();
      await sendFiles(this.root, `/lookbook/${id}/finished`, files, () => {});
      this.tell("Reading them as one target…");
      await ask(`/lookbook/${id}/finished/read`, { method: "POST", json: {} });
      this.show(id);
    } catch (error) {
      this.tell(error.message);
    }
  },
});
