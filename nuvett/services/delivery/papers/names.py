"""Which papers a delivery has, and how they are called."""

from math import ceil

from nuvett.services.delivery.delivery_settings import Papers
from nuvett.services.delivery.papers.contact_sheet import Layout

SHEET_PDF, SHEET_JPEG = "sheet-pdf", "sheet-jpeg"
RECORD_PAGE, RECORD_JSON = "record-page", "record-json"
TABLE, PALETTE, CHECKSUMS = "table", "palette", "checksums"


def paper_names(papers: Papers, frames: int, versions: list[int]) -> list[tuple[str, str]]:
    """Kind and name of each paper, in the order in which they are made: the list of checksums last."""
    found: list[tuple[str, str]] = []
    if papers.sheet in ("pdf", "both"):
        found.append((SHEET_PDF, "contact sheet.pdf"))
    if papers.sheet in ("jpeg", "both"):
        pages = ceil(frames / Layout.of(papers).on_a_page)
        found += [(SHEET_JPEG, f"contact sheet {page}.jpg") for page in range(1, pages + 1)]
    if papers.tables:
        found += [(TABLE, f"tables/look v{version}.cube") for version in versions]
    if papers.palettes:
        found.append((PALETTE, "palettes/target.json"))
    if papers.record:
        found += [(RECORD_PAGE, "record.html"), (RECORD_JSON, "record.json")]
    return [*found, *([(CHECKSUMS, "SHA256SUMS")] if papers.checksums else [])]
