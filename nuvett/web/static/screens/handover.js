import { chosenOf } from "../lib/chosen.js";
import { all, ask, one, say } from "../lib/common.js";
import { collected } from "../lib/forms.js";
import { morphInto } from "../lib/morphing.js";
import { atMostEvery, followProgress } from "../lib/progress.js";

const CALM = 900; // ms at least between two looks at how far deliveries are
const posted = (json) => ({ method: "POST", json });
const PAUSE = 250; // milliseconds after typing until names are worked out

/** Which fields of a kind of file mean anything. */
function fitFields(output) {
  const by = one('[name$="resize.by"]', output).value;
  for (const field of all("[data-for]", output)) {
    const fits = field.dataset.for.split(" ").includes(by);
    field.hidden = !fits;
    one("input", field).disabled = !fits;
  }
  const hasQuality = one('[name$="format"]', output).selectedOptions[0].dataset.quality === "1";
  for (const field of all("[data-for-quality]", output)) {
    field.hidden = !hasQuality;
    one("input", field).disabled = !hasQuality;
  }
}

/** A name that no file of a folder has: nothing there is replaced. */
async function freeName(folder, name) {
  const there = async (asked) => {
    try {
      await folder.getFileHandle(asked);
      return true;
    } catch (error) {
      if (error.name === "NotFoundError") return false;
      if (error.name === "TypeMismatchError") return true; // a folder of that name
      throw error;
    }
  };
  const dot = name.lastIndexOf(".");
  for (let number = 2, asked = name; ; number += 1) {
    if (!(await there(asked))) return asked;
    asked = `${name.slice(0, dot)} (${number})${name.slice(dot)}`;
  }
}

/** @param {(link: HTMLAnchorElement) => Promise<any>} fetched */
async function saveInto(links, fetched) {
  const root = await window.showDirectoryPicker({ mode: "readwrite" });
  for (const [index, link] of links.entries()) {
    const parts = link.dataset.file.split("/");
    let folder = root;
    for (const part of parts.slice(0, -1)) folder = await folder.getDirectoryHandle(part, { create: true });
    const name = await freeName(folder, parts.at(-1));
    const writer = await (await folder.getFileHandle(name, { create: true })).createWritable();
    await (await fetched(link)).body.pipeTo(writer);
    say(`${index + 1} of ${links.length} files saved`);
  }
}

export const handover = () => ({
  init() {
    const root = this.$el;
    const { slug } = root.dataset;
    const queue = one("[data-queue]", root);
    const form = one("[data-hand-over]", root);
    const outputs = one("[data-outputs]", form);
    const told = one("[data-names]", form);
    const chosen = chosenOf(slug);
    let pause = 0;

    const offer = () => {
      for (const button of all("[data-save-folder]", queue)) button.hidden = !("showDirectoryPicker" in window);
    };
    const refresh = atMostEvery(CALM, async () => {
      try {
        morphInto(queue, await (await ask(`/series/${slug}/handover/queue`)).text());
        offer();
      } catch {
        // What changes next shows it.
      }
    });
    let following = null;
    const followMaking = () => {
      following ??= followProgress(slug, "handover", refresh, () => (following = null));
    };
    const asked = () => {
      const { credits = {}, ...settings } = collected(form);
      return { settings, credits, frames: settings.what === "chosen" ? chosen : null };
    };
    const nameThem = async () => {
      try {
        const { words, ends } = await (await ask(`/series/${slug}/handover/names`, posted(asked()))).json();
        told.textContent = `${ends.join(" to ")}${ends.length ? ": " : ""}${words.join("; ")}.`;
      } catch (error) {
        told.textContent = error.message;
      }
    };
    const later = () => {
      clearTimeout(pause);
      pause = setTimeout(nameThem, PAUSE);
    };
    const number = () => {
      for (const [index, output] of all("[data-output]", outputs).entries()) {
        for (const field of all("[name]", output)) {
          field.name = field.name.replace(/^outputs\.[^.]+/, `outputs.${index}`);
        }
        one("[data-drop-output]", output).hidden = all("[data-output]", outputs).length === 1;
        fitFields(output);
      }
      const add = one("[data-add-output]", form);
      add.hidden = all("[data-output]", outputs).length >= Number(add.dataset.most);
      later();
    };

    const choice = one("[data-chosen]", form);
    if (chosen.length) {
      choice.hidden = false;
      choice.textContent = `the ${chosen.length} chosen on the wall`;
      if (new URL(location.href).searchParams.has("chosen")) choice.selected = true;
    } else if (choice.selected) {
      choice.parentElement.selectedIndex = 0;
    }
    number();
    offer();
    if (one('[data-busy="1"]', queue)) followMaking();

    const seeOne = async (button) => {
      const dialog = one("#sample", root);
      button.disabled = true;
      try {
        const made = await (await ask(`/series/${slug}/handover/sample`, posted(asked()))).blob();
        const reader = new FileReader();
        reader.addEventListener("load", () => (one("[data-sample]", dialog).src = String(reader.result)));
        reader.readAsDataURL(made);
        one("[data-sample-size]", dialog).textContent = `${Math.ceil(made.size / 1024)} kB`;
        dialog.showModal();
      } catch (error) {
        say(error.message);
      }
      button.disabled = false;
    };
    form.addEventListener("input", later);
    form.addEventListener("change", (event) => {
      const output = event.target.closest("[data-output]");
      if (output) fitFields(output);
      if (event.target.matches("[data-kept]")) {
        location.href = location.pathname + (event.target.value && `?settings=${event.target.value}`);
      }
    });
    form.addEventListener("click", (event) => {
      const field = event.target.closest("[data-field]");
      if (field) {
        const pattern = one('[name="pattern"]', form);
        pattern.setRangeText(`{${field.dataset.field}}`, pattern.selectionStart, pattern.selectionEnd, "end");
        pattern.focus();
        later();
      }
      const see = event.target.closest("[data-see-one]");
      if (see) seeOne(see);
      if (event.target.closest("[data-add-output]")) {
        outputs.append(one("[data-another]", form).content.cloneNode(true));
        number();
      }
      if (event.target.closest("[data-drop-output]")) {
        event.target.closest("[data-output]").remove();
        number();
      }
    });
    form.addEventListener("submit", async (event) => {
      event.preventDefault();
      try {
        await ask(`/series/${slug}/deliveries`, posted(asked()));
        followMaking();
        say("The files are being made.");
      } catch (error) {
        told.textContent = error.message;
        say(error.message);
      }
    });
    one("[data-keep-settings]", root).addEventListener("click", async () => {
      const name = one("[data-settings-name]", root).value;
      try {
        const { id } = await (await ask(`/series/${slug}/handover/settings`, posted({ ...asked(), name }))).json();
        location.href = `?settings=${id}`;
      } catch (error) {
        say(error.message);
      }
    });
    /** The list of a delivery's single files, asked for once. */
    const listed = async (single) => {
      const list = one("ul", single);
      if (!list.children.length) {
        const address = `/series/${slug}/deliveries/${single.dataset.singleFiles}/files`;
        list.innerHTML = await (await ask(address)).text();
      }
      return all("[data-file]", list);
    };
    queue.addEventListener(
      "toggle",
      ({ target }) => {
        if (target.open && target.matches("[data-single-files]")) listed(target).catch(({ message }) => say(message));
      },
      true, // a toggle does not rise from its element
    );
    queue.addEventListener("click", async (event) => {
      const button = event.target.closest("[data-save-folder]");
      if (!button) return;
      try {
        const links = await listed(one("[data-single-files]", button.closest("article")));
        await saveInto(links, (link) => ask(link.href));
      } catch (error) {
        if (error.name !== "AbortError") say(`The files could not be saved there: ${error.message}`);
      }
    });
  },
});
