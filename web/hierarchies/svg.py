"""The elevation as SVG. Attributes only, no style sheet of its own, so that the file looks like the page."""

from __future__ import annotations

from django.urls import reverse
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from core.codes.elevation import GROUND, HEIGHT, WIDTH, Bay, Elevation, Pillar

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
) -> SafeString:
    turn = format_html(' transform="rotate(-90 {} {})"', round(x, 1), round(y, 1)) if turned else ""
    return format_html(
        '<text x="{}" y="{}" font-family="{}" font-size="12.5" font-weight="{}" fill="{}"{}>{}</text>',
        round(x, 1),
        round(y, 1),
        FONT,
        700 if bold else 400,
        SOFT if soft else INK,
        turn,
        text,
    )


def _lettered(bay: Bay) -> SafeString:
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
    return SafeString("")


def _bay(bay: Bay, hierarchy: str, at: str) -> SafeString:
    tint = TINTS.get(bay.account_class, SHEET) if bay.level == 1 else SHEET
    stroke, dash, fill = (RESIN, "5 4", RESIN_TINT) if bay.moved else (INK, "none", tint)
    title = (
        f"{bay.holds} bays, {bay.posting:,} codes"
        if bay.holds > 1
        else f"{bay.code} {bay.name}: {bay.posting:,} codes"
    )
    if bay.moved:
        title += ", moved in this draft" if bay.moved == "new" else ", leaves this place in the draft"
    box = format_html(
        '<rect x="{}" y="{}" width="{}" height="{}" fill="{}" stroke="{}" stroke-width="{}"'
        ' stroke-dasharray="{}"/>',
        round(bay.x + 1, 1),
        round(bay.y + 1, 1),
        round(max(bay.width, 1.5), 1),
        round(bay.height, 1),
        "none" if bay.moved == "old" else fill,
        stroke,
        3 if bay.code == at and bay.code else 1.5,
        dash,
    )
    marks = ""
    if bay.code and bay.holds == 1 and bay.moved != "old":
        proof = reverse("hierarchy-node", args=[hierarchy, bay.code])
        marks = format_html(
            ' tabindex="0" role="button" data-row="{}" data-onto="{}" data-zoom="{}" hx-get="{}"'
            ' hx-trigger="focus delay:120ms" hx-target="#proof" hx-sync="#proof:replace"',
            bay.code,
            bay.code,
            bay.code,
            proof,
        )
    elif bay.holds > 1:
        marks = format_html(' data-merged="{}"', bay.holds)
    return format_html(
        '<g class="bay"{}><title>{}</title>{}{}</g>', SafeString(marks), title, box, _lettered(bay)
    )


def _post(post: Pillar, hierarchy: str) -> SafeString:
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
    marks = SafeString("")
    if post.holds == 1 and post.moved != "old":
        proof = reverse("hierarchy-node", args=[hierarchy, post.code])
        marks = format_html(
            ' tabindex="0" role="button" data-row="{}" hx-get="{}" hx-trigger="focus delay:120ms"'
            ' hx-target="#proof" hx-sync="#proof:replace"',
            post.code,
            proof,
        )
    return format_html(
        '<g class="post"{}><title>{}</title><rect x="{}" y="{}" width="{}" height="{}" fill="{}" stroke="{}"'
        ' stroke-width="{}" stroke-dasharray="{}"/></g>',
        marks,
        title,
        round(post.x, 1),
        round(post.y, 1),
        round(max(post.width, 0.8), 1),
        round(GROUND - post.y, 1),
        fill,
        stroke,
        1.5 if post.moved else 0.7,
        dash,
    )


def as_svg(made: Elevation, hierarchy: str, at: str, *, alone: bool = False) -> SafeString:
    """The drawing. `alone`: as a file, with its own name space and a white sheet."""
    ticks = format_html_join(
        "",
        '<path d="M{} {} l-7 9" stroke="{}" stroke-width="1"/>',
        ((x, GROUND, INK) for x in range(8, WIDTH, 10)),
    )
    ghosts_last = sorted(made.posts, key=lambda post: bool(post.moved))
    return format_html(
        '<svg{} class="elevation" viewBox="0 0 {} {}" role="group" aria-label="Elevation"'
        ' data-elevation="{}"><defs><pattern id="posts" width="4" height="8"'
        ' patternUnits="userSpaceOnUse"><rect width="4" height="8" fill="#dfe5e0"/><path d="M2 0V8"'
        ' stroke="{}" stroke-width="1.3"/></pattern><pattern id="closed" width="6" height="6"'
        ' patternUnits="userSpaceOnUse"><path d="M0 6L6 0" stroke="{}"'
        ' stroke-width="1"/></pattern></defs>{}{}{}<path d="M0 {}H{}" stroke="{}" stroke-width="2"/>{}</svg>',
        SafeString(' xmlns="http://www.w3.org/2000/svg" width="1100"') if alone else "",
        WIDTH,
        HEIGHT if not alone else GROUND + 16,
        hierarchy,
        INK,
        SOFT,
        format_html('<rect width="{}" height="{}" fill="{}"/>', WIDTH, HEIGHT, SHEET) if alone else "",
        format_html_join("", "{}", ((_post(post, hierarchy),) for post in ghosts_last)),
        format_html_join("", "{}", ((_bay(bay, hierarchy, at),) for bay in made.bays)),
        GROUND,
        WIDTH,
        INK,
        ticks,
    )
