"""What goes along with finished pictures: contact sheet, record, tables, palettes, checksums."""
