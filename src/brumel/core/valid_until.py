"""How long a calibration holds, and what it is worth meanwhile (house rule, editable in the limits)."""

from __future__ import annotations

from brumel.core.findings import Level


def holding_spans(level: Level, holds_days: tuple[float, float]) -> list[tuple[float, float, Level]]:
    """Ages, days from and to, over which a calibration of this verdict holds, and how well.

    ``holds_days`` says how long it holds soundly, and at most.

    Examples
    --------
    >>> [(begin, end, level.value) for begin, end, level in holding_spans(Level.SOUND, (1, 7))]
    [(0.0, 1.0, 'sound'), (1.0, 7.0, 'doubtful')]
    """
    sound, doubtful = map(float, holds_days)
    if level is Level.UNFIT:
        return []
    if level is Level.DOUBTFUL:
        return [(0.0, doubtful, Level.DOUBTFUL)]
    return [(0.0, sound, Level.SOUND), (sound, doubtful, Level.DOUBTFUL)]


def worth(level: Level, age_days: float, holds_days: tuple[float, float]) -> Level:
    """Return what a calibration is still worth: its verdict, worsened by its age.

    Examples
    --------
    >>> worth(Level.SOUND, 1.5, (1, 7)).value, worth(Level.DOUBTFUL, 8.0, (1, 7)).value
    ('doubtful', 'unfit')
    """
    return next((then for _, end, then in holding_spans(level, holds_days) if age_days <= end), Level.UNFIT)
