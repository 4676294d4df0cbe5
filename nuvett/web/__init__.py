"""The browser's side: application factory, routes, view models, templates and static files."""
