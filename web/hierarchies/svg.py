"""The elevation as SVG. Attributes only, no style sheet of its own, so that the file looks like the page."""

from __future__ import annotations

from collections.abc import Callable
from html import escape

from django.utils.safestring import SafeString, mark_safe

from core.codes.elevation import GROUND, HEIGHT, WIDTH, Bay, Elevation, Pillar
from web.shell.table_rows import addresses

INK, SHEET, SOFT, RESIN, RESIN_TINT = "#21302a", "#fffdf8", "#5c6a62", "#a96a12", "#f8ebd0"
TINTS = {
    "asset": "#e3ede4",
    "liability": "#f8ebd0",
    "equity": "#e2e8ee",
    "revenue": "#efe1e7",
    "expense": "#f3e4dc",
}
FONT = "Hyper Next, DejaVu Sans, sans-serif"


def _words(text: str, room: float) -> str:
    most = int(room / 6.6)
    return text if len(text) <= most else text[: max(most - 1, 0)] + "…" if most > 2 else ""


def _text(
    x: float, y: float, text: str, *, bold: bool = False, soft: bool = False, turned: bool = False
) -> str:
    turn = f' transform="rotate(-90 {x:.1f} {y:.1f})"' if turned else ""
    return (
        f'<text x="{x:.1f}" y="{y:.1f}" font-family="{FONT}" font-size="12.5"'
        f' font-weight="{700 if bold else 400}" fill="{SOFT if soft else INK}"{turn}>{escape(text)}</text>'
    )


def _lettered(bay: Bay) -> str:
    """A bay's name and count where they fit: level, turned, or not at all."""
    count = f"{bay.posting:,} codes" if bay.posting != 1 else "1 code"
    name = f"{bay.holds} bays" if bay.holds > 1 else bay.name
    if bay.width >= 62:
        lines = _text(bay.x + 7, bay.y + 18, _words(name, bay.width - 10), bold=True)
        return (
            lines + _text(bay.x + 7, bay.y + 34, _words(count, bay.width - 10), soft=True)
            if bay.height > 40
            else lines
        )
    if bay.width >= 15:
        return _text(
            bay.x + bay.width / 2 + 4, bay.y + bay.height - 5, _words(name, bay.height - 8), turned=True
        )
    return ""


def _marks(part: Bay | Pillar, proof: Callable[[str], str], *, takes: bool) -> str:
    """What makes a part of the drawing a row to act on: a single one that stands where it is drawn."""
    if not part.code or part.holds > 1 or part.moved == "old":
        return f' data-merged="{part.holds}"' if takes and part.holds > 1 else ""
    code = escape(part.code)
    onto = f' data-onto="{code}" data-zoom="{code}"' if takes else ""
    return (
        f' tabindex="-1" role="button" data-row="{code}"{onto} hx-get="{escape(proof(part.code))}"'
        ' hx-trigger="focus delay:120ms" hx-target="#proof" hx-sync="#proof:replace"'
    )


def _bay(bay: Bay, proof: Callable[[str], str], at: str) -> str:
    tint = TINTS.get(bay.account_class, SHEET) if bay.level == 1 else SHEET
    stroke, dash, fill = (RESIN, "5 4", RESIN_TINT) if bay.moved else (INK, "none", tint)
    title = (
        f"{bay.holds} bays, {bay.posting:,} codes"
        if bay.holds > 1
        else f"{bay.code} {bay.name}: {bay.posting:,} codes"
    )
    if bay.moved:
        title += ", moved in this draft" if bay.moved == "new" else ", leaves this place in the draft"
    box = (
        f'<rect x="{bay.x + 1:.1f}" y="{bay.y + 1:.1f}" width="{max(bay.width, 1.5):.1f}"'
        f' height="{bay.height:.1f}" fill="{"none" if bay.moved == "old" else fill}" stroke="{stroke}"'
        f' stroke-width="{3 if bay.code == at and bay.code else 1.5}" stroke-dasharray="{dash}"/>'
    )
    marks = _marks(bay, proof, takes=True)
    return f'<g class="bay"{marks}><title>{escape(title)}</title>{box}{_lettered(bay)}</g>'


def _post(post: Pillar, proof: Callable[[str], str]) -> str:
    title = f"{post.holds:,} posting codes" if post.holds > 1 else f"{post.code} {post.name}"
    fill = (
        "none"
        if post.moved == "old"
        else (
            RESIN_TINT
            if post.moved
            else "url(#closed)"
            if post.closed
            else "url(#posts)"
            if post.holds > 1
            else "#a9b8b0"
        )
    )
    stroke, dash = (RESIN, "4 3") if post.moved else (INK, "none")
    return (
        f'<g class="post"{_marks(post, proof, takes=False)}><title>{escape(title)}</title>'
        f'<rect x="{post.x:.1f}" y="{post.y:.1f}" width="{max(post.width, 0.8):.1f}"'
        f' height="{GROUND - post.y:.1f}" fill="{fill}" stroke="{stroke}"'
        f' stroke-width="{1.5 if post.moved else 0.7}" stroke-dasharray="{dash}"/></g>'
    )


TICKS = "".join(
    f'<path d="M{x} {GROUND} l-7 9" stroke="{INK}" stroke-width="1"/>' for x in range(8, WIDTH, 10)
)
PATTERNS = (
    '<defs><pattern id="posts" width="4" height="8" patternUnits="userSpaceOnUse"><rect width="4" height="8"'
    f' fill="#dfe5e0"/><path d="M2 0V8" stroke="{INK}" stroke-width="1.3"/></pattern><pattern id="closed"'
    f' width="6" height="6" patternUnits="userSpaceOnUse"><path d="M0 6L6 0" stroke="{SOFT}"'
    ' stroke-width="1"/></pattern></defs>'
)


def as_svg(made: Elevation, hierarchy: str, at: str, *, alone: bool = False) -> SafeString:
    """The drawing. `alone`: as a file, with its own name space and a white sheet."""
    proof = addresses("hierarchy-node", hierarchy)
    ghosts_last = sorted(made.posts, key=lambda post: bool(post.moved))
    file = ' xmlns="http://www.w3.org/2000/svg" width="1100"' if alone else ""
    sheet = f'<rect width="{WIDTH}" height="{HEIGHT}" fill="{SHEET}"/>' if alone else ""
    parts = [
        f'<svg{file} class="elevation" viewBox="0 0 {WIDTH} {GROUND + 16 if alone else HEIGHT}" role="group"'
        f' aria-label="Elevation" data-elevation="{escape(hierarchy)}">{PATTERNS}{sheet}',
        *(_post(post, proof) for post in ghosts_last),
        *(_bay(bay, proof, at) for bay in made.bays),
        f'<path d="M0 {GROUND}H{WIDTH}" stroke="{INK}" stroke-width="2"/>{TICKS}</svg>',
    ]
    return mark_safe("".join(parts))  # noqa: S308 - every text was escaped above
