"""Where in the water something is read, as forms of a visit have it."""

from __future__ import annotations

from brumel.services.visiting.plain import Spot
from brumel.services.visiting.visits import LAYERS, REPLICATES
from brumel.web.forms import Typed


def spot_of(typed: Typed) -> Spot:
    """Depth, layer and replicate; what is none of the offered ones is nowhere in particular."""
    layer, replicate = typed.text("layer"), typed.text("replicate")
    return Spot(
        typed.number("spot_depth"), layer if layer in LAYERS else "", replicate if replicate in REPLICATES else ""
    )
