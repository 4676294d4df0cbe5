import { all, one, say } from "./common.js";
import { plainFiles, takeDropped } from "./dropping.js";

const AT_ONCE = 3;

/** What was answered; a plain sentence is as good. */
function answered(text) {
  try {
    return JSON.parse(text);
  } catch {
    return { message: text };
  }
}

function sendOne(address, file, onProgress) {
  return new Promise((resolve) => {
    const request = new XMLHttpRequest();
    const body = new FormData();
    body.append("file", file, file.name);
    request.upload.addEventListener("progress", (event) => onProgress(event.loaded / Math.max(1, event.total)));
    request.addEventListener("load", () => {
      const { already, message } = answered(request.responseText);
      if (request.status >= 300) resolve({ problem: message || "The file could not be kept." });
      else resolve(already ? { problem: already, already: true } : {});
    });
    request.addEventListener("error", () => resolve({ problem: "The connection broke; add the file again." }));
    request.open("POST", address);
    request.setRequestHeader("accept", "application/json");
    request.send(body);
  });
}

/** Send files a few at a time, with progress for each and in all; refused ones stay listed with the reason. */
export async function sendFiles(root, address, files, after) {
  if (!files.length) return;
  const box = one("[data-uploads]", root);
  const list = one("[data-upload-list]", box);
  const whole = one("[data-upload-all]", box);
  const count = one("[data-upload-count]", box);
  box.hidden = false;
  list.replaceChildren();
  const shares = files.map(() => 0);
  const there = [];
  let finished = 0;
  const update = () => {
    whole.value = shares.reduce((sum, share) => sum + share, 0) / files.length;
    count.textContent = `${finished} of ${files.length}`;
  };
  update();
  const queue = files.map((file, index) => [file, index]);
  const worker = async () => {
    for (let next = queue.shift(); next; next = queue.shift()) {
      const [file, index] = next;
      const row = document.createElement("li");
      const bar = document.createElement("progress");
      const name = document.createElement("span");
      name.textContent = name.title = file.name;
      row.className = "flex items-center gap-2";
      name.className = "min-w-0 flex-1 truncate";
      bar.className = "h-2 w-24";
      bar.max = 1;
      bar.setAttribute("aria-label", file.name);
      row.append(name, bar);
      list.append(row);
      const { problem, already } = await sendOne(address, file, (share) => {
        bar.value = share;
        shares[index] = share;
        update();
      });
      shares[index] = 1;
      finished += 1;
      if (already) {
        there.push([file.name, problem]);
        row.remove();
      } else if (problem) {
        bar.remove();
        name.className = "";
        name.textContent = `${file.name}: ${problem}`;
        say(`${file.name}: ${problem}`);
      } else {
        row.remove();
      }
      update();
    }
  };
  await Promise.all(Array.from({ length: AT_ONCE }, worker));
  if (there.length) {
    const row = document.createElement("li");
    row.textContent =
      there.length === 1
        ? `${there[0][0]}: ${there[0][1]}`
        : `${there.length} of these files were in this series already and were not added again.`;
    row.title = there.map(([name]) => name).join(", ");
    list.append(row);
    say(row.textContent);
  }
  if (!list.children.length) box.hidden = true;
  after();
}

/** Connect drop areas, file buttons and their hidden inputs of one kind to a function that takes files. */
export function acceptFiles(kind, take) {
  const input = one(`[data-input="${kind}"]`);
  const folder = one(`[data-input-folder="${kind}"]`);
  document.addEventListener("click", (event) => {
    if (event.target?.closest(`[data-pick="${kind}"]`)) input.click();
    if (event.target?.closest(`[data-pick-folder="${kind}"]`)) folder?.click();
  });
  for (const source of [input, folder]) {
    source?.addEventListener("change", () => {
      take(plainFiles(source.files));
      source.value = "";
    });
  }
  if (all(`[data-drop="${kind}"]`).length) takeDropped(take);
}
