"""Routes, a module a screen. They parse, call one service and render; no rule of the job lives here."""
