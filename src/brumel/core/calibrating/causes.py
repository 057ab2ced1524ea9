"""The rule base: what each principle's signal shows by itself, named before the numbers that it spoils."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from brumel.core.calibrating.causes_conductivity import cell_causes, cell_remarks
from brumel.core.calibrating.causes_glass import glass_causes, glass_remarks
from brumel.core.calibrating.causes_ion import Stood, ion_causes, ion_remarks, pair_apart
from brumel.core.calibrating.causes_metal import metal_causes
from brumel.core.calibrating.causes_oxygen import oxygen_causes, oxygen_remarks
from brumel.core.calibrating.run import Run
from brumel.core.calibrating.untested import beside_the_waters
from brumel.core.findings import Finding


def _nothing(run: Run) -> Iterator[Finding]:
    del run
    return iter(())


@dataclass(frozen=True)
class Signs:
    """What one principle's signal can show: causes, and remarks beside them."""

    causes: Callable[[Run], Iterable[Finding]] = _nothing
    remarks: Callable[[Run], Iterable[Finding]] = _nothing
    apart: Callable[[Sequence[Stood], Stood], str] = lambda taken, now: ""
    """Why a point should wait, by how warm its standard is beside those taken already; empty where it need not."""
    beside: Callable[[Sequence[float], tuple[float, float]], str] = lambda labels, waters: ""
    """Where standards lie that leave the waters untested; empty where they don't, or no scale of decades asks."""


_SIGNS: Mapping[str, Signs] = {
    "glass": Signs(glass_causes, glass_remarks),
    "metal": Signs(metal_causes),
    "conductivity": Signs(cell_causes, cell_remarks, beside=beside_the_waters),
    "membrane": Signs(oxygen_causes, oxygen_remarks),
    "luminescence": Signs(oxygen_causes, oxygen_remarks),
    "ammonium-tip": Signs(ion_causes, ion_remarks, apart=pair_apart),
    "nitrate-tip": Signs(ion_causes, ion_remarks, apart=pair_apart),
}


def signs_of(principle: str) -> Signs:
    """What a principle's signal can show; one without an entry shows nothing."""
    return _SIGNS.get(principle, Signs())
