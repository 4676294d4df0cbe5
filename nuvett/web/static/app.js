import Alpine from "./vendor/alpine.js";
import morph from "./vendor/alpine-morph.js";
import { beside } from "./screens/beside.js";
import { carry } from "./screens/carry.js";
import { clip } from "./screens/clip.js";
import { sayOnce, surround } from "./lib/common.js";
import { listenForDrops } from "./lib/dropping.js";
import { gather } from "./screens/gather.js";
import { handover } from "./screens/handover.js";
import { health } from "./screens/health.js";
import { listenForKeys } from "./controls/keys.js";
import { listenForLarge } from "./controls/large.js";
import { listenForLater } from "./lib/later.js";
import { live } from "./controls/live.js";
import { lookbook } from "./screens/lookbook.js";
import { sendOnce } from "./lib/forms.js";
import { listenForLeaving } from "./lib/waiting.js";
import { loadParts } from "./lib/parts.js";
import { read } from "./screens/read.js";
import { shape } from "./screens/shape.js";
import { threads } from "./screens/threads.js";
import { trim } from "./screens/trim.js";
import { viewer } from "./controls/viewer.js";
import { workOut } from "./screens/working_out.js";

window.Alpine = Alpine;
Alpine.plugin(morph);
const components = {
  beside,
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
  threads,
  trim,
  viewer,
  workOut,
};
for (const [name, component] of Object.entries(components)) Alpine.data(name, component);
Alpine.start();
listenForKeys();
listenForDrops();
loadParts();
listenForLarge();
listenForLater();
sayOnce();
sendOnce();
listenForLeaving();
