"""A report as PDF."""

from __future__ import annotations

import gc
from dataclasses import dataclass
from hashlib import sha256
from typing import Any

PAPERS = {"A4": "A4", "Letter": "letter"}
LIBRARY = "PDF needs the Pango library, which is not on this computer (Debian: apt-get install libpango-1.0-0 libpangoft2-1.0-0)."


class NotPrinted(RuntimeError):
    """No PDF could be made; the message is a sentence for the user."""


def pdf_of(html: str, paper: str = "A4") -> bytes:
    """A PDF of an HTML page that holds all it needs: nothing is fetched. paper: one of PAPERS.

    Raises NotPrinted where the libraries that it needs are missing.
    """
    try:
        from weasyprint import CSS, HTML
        from weasyprint.text.fonts import FontConfiguration
        from weasyprint.urls import URLFetcher
    except (ImportError, OSError) as error:
        raise NotPrinted(f"{LIBRARY} Until then, open the HTML file and print it.") from error
    fonts = FontConfiguration()
    sheet = CSS(string=f"@page {{ size: {PAPERS[paper]} }}", font_config=fonts)
    held = URLFetcher(allowed_protocols={"data"})
    return HTML(string=html, url_fetcher=held).write_pdf(stylesheets=[sheet], font_config=fonts, presentational_hints=True)


@dataclass(frozen=True)
class Print:
    """Make a PDF of an HTML page, away from whoever asks. Answers (True, bytes) or (False, a sentence)."""

    html: str
    paper: str = "A4"

    @property
    def digest(self) -> str:
        """Names the page."""
        return sha256(f"{self.paper} {self.html}".encode()).hexdigest()

    def perform(self, watch: Any, shelf: Any) -> tuple[bool, bytes | str]:
        """Make it."""
        collecting = gc.isenabled()
        gc.disable()  # nothing of a page is garbage before it is printed: looking for some takes a tenth of the time
        try:
            return True, pdf_of(self.html, self.paper)
        except NotPrinted as error:
            return False, str(error)
        finally:
            if collecting:
                gc.enable()
