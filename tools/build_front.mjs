// Builds the style sheet and copies scripts and fonts that ship with the application. An argument names another folder.
import { execFileSync } from "node:child_process";
import { copyFileSync, mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";

const project = dirname(dirname(fileURLToPath(import.meta.url)));
const out = process.argv[2] ?? join(project, "nuvett", "web", "static");
const modules = join(project, "node_modules");
const copies = {
  "vendor/alpine.js": "@alpinejs/csp/dist/module.esm.min.js",
  "vendor/alpine-morph.js": "@alpinejs/morph/dist/module.esm.js",
  "vendor/schibsted-grotesk-latin.woff2":
    "@fontsource-variable/schibsted-grotesk/files/schibsted-grotesk-latin-wght-normal.woff2",
  "vendor/schibsted-grotesk-latin-ext.woff2":
    "@fontsource-variable/schibsted-grotesk/files/schibsted-grotesk-latin-ext-wght-normal.woff2",
  "vendor/schibsted-grotesk-licence.txt": "@fontsource-variable/schibsted-grotesk/LICENSE",
};
mkdirSync(join(out, "vendor"), { recursive: true });
if (out.startsWith(project)) {
  const net = "face_detection_short_range.tflite";
  copyFileSync(join(modules, "@mediapipe/face_detection", net), join(project, "nuvett", "imaging", "nets", net));
}
for (const [to, from] of Object.entries(copies)) copyFileSync(join(modules, from), join(out, to));
// Types of what others wrote are not ours to check.
for (const script of Object.keys(copies).filter((name) => name.endsWith(".js"))) {
  writeFileSync(join(out, script), `// @ts-nocheck\n${readFileSync(join(out, script), "utf8")}`);
}
execFileSync(
  process.execPath,
  [
    join(modules, "@tailwindcss", "cli", "dist", "index.mjs"),
    "-i",
    join(project, "front", "app.css"),
    "-o",
    join(out, "app.css"),
    "--minify",
  ],
  { cwd: project, stdio: ["ignore", "ignore", "inherit"] },
);
