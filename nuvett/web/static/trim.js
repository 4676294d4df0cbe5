// Trim: the sheet of one frame's own departure from the look.

import { sheetOf } from "./document.js";

const where = ({ slug, frame, reference }) => ({
  draft: `/series/${slug}/frames/${frame}/trim/draft`,
  keep: `/series/${slug}/frames/${frame}/trim`,
  walk: `/series/${slug}/frames/${frame}/trim`,
  pick: `/series/${slug}/frames/${frame}/trim/pick`,
  other: null,
  with: { reference },
});

export const trim = () => ({ ...sheetOf(where) });
