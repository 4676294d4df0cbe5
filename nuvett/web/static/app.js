import Alpine from "./vendor/alpine.js";
import { carry } from "./carry.js";
import { clip } from "./clip.js";
import { surround } from "./common.js";
import { gather } from "./gather.js";
import { handover } from "./handover.js";
import { listenForKeys } from "./keys.js";
import { listenForLarge } from "./large.js";
import { live } from "./live.js";
import { loadParts } from "./parts.js";
import { read } from "./read.js";
import { shape } from "./shape.js";
import { trim } from "./trim.js";

for (const [name, component] of Object.entries({ carry, clip, gather, handover, live, read, shape, surround, trim })) {
  Alpine.data(name, component);
}
Alpine.start();
listenForKeys();
loadParts();
listenForLarge();
