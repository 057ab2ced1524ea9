"""What a principle draws of its own beside the response."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from brumel.services.calibrating.shown import RunView
from brumel.web.figures.decades import decades_figure
from brumel.web.figures.saturation import saturation_figure


@dataclass(frozen=True)
class Picture:
    """The name of what draws it, and where everything stands in it."""

    name: str
    figure: object


_FIGURES: Mapping[str, Callable[[RunView], object | None]] = {
    "decades": decades_figure,
    "saturation": saturation_figure,
}


def picture_of(view: RunView) -> Picture | None:
    """Return the picture of a run's principle; None where it has none, or nothing to draw yet."""
    name = view.principle.picture
    figure = _FIGURES[name](view) if name else None
    return None if figure is None else Picture(name, figure)
