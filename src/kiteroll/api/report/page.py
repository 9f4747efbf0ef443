"""The frame of every printable page, and how a page that needs no script is served."""

from collections.abc import Sequence
from datetime import datetime
from html import escape

from starlette.responses import HTMLResponse

_STYLE = """
body { font: 12px/1.35 system-ui, sans-serif; margin: 18mm 14mm; color: #17252b; }
h1 { font-size: 20px; margin: 0 0 2px; } h2 { font-size: 14px; margin: 16px 0 4px; }
p { margin: 2px 0; } .soft { color: #52626a; } .mono { font-family: ui-monospace, monospace; }
table { border-collapse: collapse; width: 100%; } thead { display: table-header-group; }
th, td { text-align: left; vertical-align: top; padding: 3px 6px; border-bottom: 1px solid #c9cdc9; }
th { border-bottom: 2px solid #17252b; } tr { break-inside: avoid; }
@page { size: A4 landscape; margin: 10mm; } @media print { body { margin: 0; } }
"""


def page(title: str, parts: Sequence[str]) -> str:
    """`parts`: the body, as HTML."""
    named = f"{escape(title)}, Kite Roll"
    head = f'<!doctype html><html lang="en"><head><meta charset="utf-8"><title>{named}</title>'
    return f"{head}<style>{_STYLE}</style></head><body>{''.join(parts)}</body></html>"


def time_text(at: datetime | None) -> str:
    return "never" if at is None else at.strftime("%Y-%m-%d %H:%M:%S")


def served(html: str) -> HTMLResponse:
    """With styles of its own, and nothing else."""
    policy = "default-src 'none'; style-src 'unsafe-inline'"
    return HTMLResponse(html, headers={"Content-Security-Policy": policy, "Cache-Control": "no-store"})
