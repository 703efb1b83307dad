"""A report as blocks, and as one web page that needs nothing else: text, tables, and drawings inside it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from html import escape
from pathlib import Path

from stathmis.exchange.whole_file import replacing
from stathmis.words.catalogue import language

INK, MUTED, RULE, PAPER = "#22292B", "#5C625E", "#D8D1C1", "#FCFAF4"


@dataclass(frozen=True)
class Heading:
    """A section's title."""

    text: str


@dataclass(frozen=True)
class Words:
    """A paragraph; role: "" for plain text, "strong" for what matters most, "small" for a note."""

    text: str
    role: str = ""


@dataclass(frozen=True)
class Table:
    """Rows under their titles; numbers: columns that stand at the right. Without titles it is a list of facts."""

    titles: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    numbers: tuple[int, ...] = ()


@dataclass(frozen=True)
class Drawing:
    """A drawing as SVG, of width and height in points, with words for who does not see it."""

    svg: str
    width: float
    height: float
    words: str


Block = Heading | Words | Table | Drawing


@dataclass(frozen=True)
class Report:
    """A title, a line under it, and what follows."""

    title: str
    subtitle: str
    blocks: tuple[Block, ...]


_STYLE = f"""
:root {{ color-scheme: light; }}
body {{ font: 15px/1.5 Inter, system-ui, sans-serif; font-feature-settings: "tnum"; color: {INK};
  background: {PAPER}; max-width: 46em; margin: 2em auto; padding: 0 1em; }}
h1 {{ font-size: 1.7em; margin: 0; }} h2 {{ font-size: 1.15em; margin: 1.8em 0 .4em; }}
p {{ margin: .35em 0; }} .strong {{ font-weight: 600; }} .small, .sub {{ color: {MUTED}; font-size: .88em; }}
table {{ border-collapse: collapse; margin: .5em 0; font-size: .92em; }}
th {{ text-align: left; font-weight: 400; color: {MUTED}; }}
td, th {{ padding: .18em 1.2em .18em 0; vertical-align: top; border-bottom: 1px solid {RULE}; }}
td.n, th.n {{ text-align: right; }} svg {{ max-width: 100%; height: auto; }}
@media (max-width: 32em) {{ body {{ margin: 1em auto; font-size: 14px; }}
  table {{ display: block; overflow-x: auto; }} td, th {{ padding-right: .7em; }} }}
@media print {{ body {{ background: none; margin: 0; max-width: none; }} h2 {{ break-after: avoid; }}
  svg, tr {{ break-inside: avoid; }} }}
"""


def table_html(table: Table) -> str:
    """A table as HTML; cells in columns of numbers stand at the right."""

    def cell(tag: str, column: int, text: str) -> str:
        side = " class='n' align='right'" if column in table.numbers else ""
        return f"<{tag}{side}>{escape(text)}</{tag}>"

    head = "".join(cell("th", i, t) for i, t in enumerate(table.titles))
    body = "".join("<tr>" + "".join(cell("td", i, t) for i, t in enumerate(row)) + "</tr>" for row in table.rows)
    return f"<table>{f'<tr>{head}</tr>' if table.titles else ''}{body}</table>"


def html_of(report: Report) -> str:
    """The whole page."""
    return (
        f"<!DOCTYPE html>\n<html lang='{escape(language())}'><head><meta charset='utf-8'>"
        "<meta name='viewport' content='width=device-width, initial-scale=1'>"
        f"<title>{escape(report.title)}</title><style>{_STYLE}</style></head><body>"
        f"<h1>{escape(report.title)}</h1><p class='sub'>{escape(report.subtitle)}</p>"
        + "\n".join(_block(b) for b in report.blocks)
        + "</body></html>\n"
    )


def _block(block: Block) -> str:
    if isinstance(block, Heading):
        return f"<h2>{escape(block.text)}</h2>"
    if isinstance(block, Words):
        role = f" class='{block.role}'" if block.role else ""
        return f"<p{role}>{escape(block.text)}</p>"
    if isinstance(block, Table):
        return table_html(block)
    return (
        f"<figure style='margin:.5em 0' role='img' aria-label='{escape(block.words, quote=True)}'>{block.svg}</figure>"
    )


def write_html(report: Report, path: Path) -> None:
    """Write the page, whole or not at all. Raises UserError where it cannot be written."""
    with replacing(path) as partial:
        partial.write_text(html_of(report), encoding="utf-8")


def plain(blocks: Sequence[Block]) -> str:
    """All words of some blocks, one after the other; for searching."""
    parts: list[str] = []
    for block in blocks:
        if isinstance(block, Heading | Words):
            parts.append(block.text)
        elif isinstance(block, Table):
            parts += [" ".join(row) for row in (block.titles, *block.rows)]
        else:
            parts.append(block.words)
    return "\n".join(parts)
