"""All series at a glance."""
