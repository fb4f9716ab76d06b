"""The report as PDF: the same page, with its fonts, tagged for screen readers, the page itself
inside it."""

from __future__ import annotations

import base64
import logging
import unicodedata
from functools import cache
from importlib.resources import files as resources
from pathlib import Path
from typing import Any, Literal

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress, silent
from tonecomb.formats import files
from tonecomb.formats.session import limits

SUFFIX = ".pdf"
INSIDE = "report.html"
"""The name of the page inside."""
Paper = Literal["A4", "Letter"]
_MOST_PAGES = 5000
_WEIGHTS = {"Regular": 400, "Medium": 500, "SemiBold": 600}
_PRINT = """
@page { size: %s; margin: 18mm 16mm 20mm;
        @bottom-right { content: counter(page) " / " counter(pages);
                        font: 8pt Inter; color: #5B666E; }
        @bottom-left { content: string(title); font: 8pt Inter; color: #5B666E; } }
html { font-size: 9.5pt; }
body { background: white; font: 9.5pt/1.45 Inter, "DejaVu Sans"; }
main { max-width: none; padding: 0; margin: 0; }
h1 { font-size: 17pt; string-set: title content(); } h2 { font-size: 12pt; break-after: avoid; }
figure { break-inside: avoid; padding: 4pt; } figcaption { font-size: 8pt; padding: 2pt 4pt; }
.quiet { font-size: 8.5pt; }
h3 { font-size: 10.5pt; break-after: avoid; } h2.name { font-size: 14pt; }
.part { break-before: page; border: none; margin: 0; padding: 0; }
nav ol { display: block; } nav.one ol { display: block; columns: 2; column-gap: 24pt; }
nav.several ol ol { display: none; }
nav .level { color: #5B666E; } nav a { color: #22303A; }
nav a::after { content: leader(" . ") target-counter(attr(href url), page); }
tr { break-inside: avoid; } thead { display: table-header-group; }
p, li { orphans: 2; widows: 2; }
.peaks td, .peaks th { padding: 2pt 5pt; } td, th { padding: 2pt 6pt 2pt 0; }
.columns { gap: 0 16pt; } .columns section { break-inside: avoid; }
.columns table { font-size: 8.5pt; } .method { padding: 6pt 9pt; margin: 6pt 0 10pt; }
.problems { padding: 4pt 9pt; margin: 5pt 0; } figure { margin: 5pt 0; }
h2, h3 { margin: 14pt 0 4pt; }
.problems, .method { break-inside: avoid; }
"""


@cache
def _fonts() -> str:
    """Our font as style sheet, wholly inside it."""
    faces = []
    for name, weight in _WEIGHTS.items():
        font = (resources("tonecomb") / "assets" / "fonts" / f"Inter-{name}.otf").read_bytes()
        data = base64.b64encode(font).decode()
        faces.append(
            f"@font-face {{ font-family: Inter; font-weight: {weight}; "
            f"src: url(data:font/otf;base64,{data}); }}"
        )
    return "\n".join(faces)


def pdf(page: str, paper: Paper = "A4", progress: Progress = silent) -> bytes:
    """A report's HTML as PDF. Nothing is fetched: what is not in the page is left out."""
    from weasyprint import HTML, Attachment
    from weasyprint.text.fonts import FontConfiguration
    from weasyprint.urls import URLFetcher

    class Nothing(URLFetcher):
        """Only what is data already, neither files nor the network."""

        def fetch(self, url: str, headers: Any = None) -> Any:
            if not url.startswith("data:"):
                raise ValueError(f"{url[:80]} is not inside the page")
            return super().fetch(url, headers)

    logging.getLogger("weasyprint").setLevel(logging.ERROR)
    logging.getLogger("fontTools").setLevel(logging.ERROR)
    fetcher = Nothing()
    progress(0.1)
    fonts = FontConfiguration()
    # After the page's own style: a sheet that is handed over beside it would give way to that.
    style = f"<style>{_fonts()}{_PRINT % paper}</style></head>"
    document = HTML(string=page.replace("</head>", style, 1), url_fetcher=fetcher)
    progress(0.2)
    made = document.render(font_config=fonts)
    progress(0.7)
    inside = Attachment(
        string=page,
        name=INSIDE,
        url_fetcher=fetcher,
        description="The report as a page, with its session",
    )
    made.metadata.attachments = [inside]
    content = made.write_pdf(pdf_tags=True)
    progress(1.0)
    return bytes(content)


def printed(path: Path) -> str | None:
    """What stands on the pages of a report's PDF, without spaces; None for another file."""
    if not files.head(path, 5).startswith(b"%PDF-"):
        return None
    import pypdf

    try:
        with pypdf.PdfReader(path) as reader:
            if len(reader.pages) > _MOST_PAGES:
                raise ValueError("it has too many")
            return squeezed(" ".join(page.extract_text() for page in reader.pages))
    except Exception as error:  # whatever else a library finds in a damaged file
        raise UserError(
            f"The pages of {path.name} cannot be read", "they are damaged", "save the report anew"
        ) from error


def squeezed(text: str) -> str:
    """Without spaces, which a page sets as it likes, and with ligatures as their letters."""
    return "".join(unicodedata.normalize("NFKC", text).split())


def page_of(path: Path) -> str:
    """The text of a file, or the page that a report's PDF has inside. Raises :class:`UserError`
    where that has none."""
    if not files.head(path, 5).startswith(b"%PDF-"):
        return path.read_text("utf-8")
    import pypdf

    lacks = UserError(
        f"{path.name} has no report inside", "it is no PDF of Tone Comb", "save the report anew"
    )
    logging.getLogger("pypdf").setLevel(logging.CRITICAL)
    try:
        if path.stat().st_size > limits.MOST_BYTES:
            raise lacks
        with pypdf.PdfReader(path) as reader:
            for one in reader.attachment_list:
                if one.name == INSIDE and one.content is not None:
                    return bytes(one.content).decode("utf-8")
    except Exception as error:  # whatever else a library finds in a damaged file
        raise lacks from error
    raise lacks
