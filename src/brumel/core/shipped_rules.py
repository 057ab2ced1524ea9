"""The rules that ship, with those that folders of a house add: what the edges give where nothing else was decided."""

from __future__ import annotations

from brumel.core.calibrating.procedure import read_deviations, read_procedures, read_rinses, read_roles
from brumel.core.calibrating.tolerances_of_kinds import read_tolerances
from brumel.core.kit.care import read_care
from brumel.core.kit.kinds import read_kinds
from brumel.core.kit.shelf import standards
from brumel.core.plan.order import read_orders
from brumel.core.plan.pack import read_pack
from brumel.core.quantities.quantity import settling_rules
from brumel.core.reading.contrary import read_contrary
from brumel.core.reading.limits import read_waters
from brumel.core.rules import Rules
from brumel.core.start.proposal import read_proposals
from brumel.core.tables import read_once


@read_once
def shipped() -> Rules:
    """Give all rules as the tables have them.

    Examples
    --------
    >>> shipped().kind("ph-combination").quantity, shipped() is shipped()
    ('ph', True)
    """
    care = read_care()
    return Rules(
        care=care,
        kinds=read_kinds(care),
        tolerances=read_tolerances(),
        procedures=read_procedures(),
        roles=read_roles(),
        rinses=read_rinses(),
        deviations=read_deviations(),
        settling=settling_rules(),
        waters=read_waters(),
        contrary=read_contrary(),
        orders=read_orders(),
        pack=read_pack(),
        open_life_days={key: standard.open_life_days for key, standard in standards().items()},
        proposals=read_proposals(),
    )
