import Alpine from "./vendor/alpine.js";
import morph from "./vendor/alpine-morph.js";
import { carry } from "./carry.js";
import { clip } from "./clip.js";
import { sayOnce, surround } from "./common.js";
import { gather } from "./gather.js";
import { handover } from "./handover.js";
import { health } from "./health.js";
import { listenForKeys } from "./keys.js";
import { listenForLarge } from "./large.js";
import { live } from "./live.js";
import { lookbook } from "./lookbook.js";
import { loadParts } from "./parts.js";
import { read } from "./read.js";
import { shape } from "./shape.js";
import { trim } from "./trim.js";
import { viewer } from "./viewer.js";
import { workOut } from "./working_out.js";

window.Alpine = Alpine;
Alpine.plugin(morph);
const components = {
  carry,
  clip,
  gather,
  handover,
  health,
  live,
  lookbook,
  read,
  shape,
  surround,
  trim,
  viewer,
  workOut,
};
for (const [name, component] of Object.entries(components)) Alpine.data(name, component);
Alpine.start();
listenForKeys();
loadParts();
listenForLarge();
sayOnce();
