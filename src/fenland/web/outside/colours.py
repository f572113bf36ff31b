"""Colours: the project's own, made so that texts in it can be read on light and on dark ground.

What is enough contrast, the Web Content Accessibility Guidelines 2.2 say in section 1.4.3, and how it is
measured, their definition of relative luminance.
"""

from __future__ import annotations

Colour = tuple[float, float, float]
#: Contrast of texts, and the grounds of pages.
_ENOUGH, _LIGHT, _DARK = 4.6, (1.0, 1.0, 1.0), (0.09, 0.1, 0.11)
_STEPS = 40


def read_colour(text: str) -> Colour:
    """A colour written as `#2f6b4f`. Raises `ValueError`."""
    if len(text) != len("#2f6b4f") or text[0] != "#":
        raise ValueError("Write a colour as # and six hexadecimal digits, such as #2f6b4f.")
    red, green, blue = (int(text[at : at + 2], 16) / 255 for at in (1, 3, 5))
    return red, green, blue


def _written(colour: Colour) -> str:
    return "#" + "".join(f"{round(one * 255):02x}" for one in colour)


def _luminance(colour: Colour) -> float:
    parts = (one / 12.92 if one <= 0.04045 else ((one + 0.055) / 1.055) ** 2.4 for one in colour)
    return sum(weight * part for weight, part in zip((0.2126, 0.7152, 0.0722), parts, strict=True))


def contrast(one: Colour, other: Colour) -> float:
    """The contrast of two colours, from 1 to 21."""
    darker, lighter = sorted((_luminance(one), _luminance(other)))
    return (lighter + 0.05) / (darker + 0.05)


def readable_on(ground: Colour, colour: Colour) -> Colour:
    """The colour, or as little darker or lighter as will do to be read on this ground."""
    towards = (0.0, 0.0, 0.0) if _luminance(ground) > 0.18 else (1.0, 1.0, 1.0)
    for step in range(_STEPS + 1):
        part = step / _STEPS
        mixed = [one + (other - one) * part for one, other in zip(colour, towards, strict=True)]
        found = (mixed[0], mixed[1], mixed[2])
        if contrast(ground, found) >= _ENOUGH:
            return found
    return towards


def style_of(text: str) -> str:
    """The rules of a style sheet that say the colour, and what can be read on it."""
    colour = read_colour(text)
    light, dark = readable_on(_LIGHT, colour), readable_on(_DARK, colour)
    return (
        f":root{{--own:{_written(light)};--on-own:#ffffff}}"
        f"@media(prefers-color-scheme:dark){{:root{{--own:{_written(dark)};--on-own:{_written(_DARK)}}}}}"
    )
