"""Pool water."""

from __future__ import annotations

from collections.abc import Iterator
from types import SimpleNamespace
from typing import Any

import numpy as np

from brumel.core.calculations._inputs import CONDUCTIVITY, CYANURIC_ACID, PH, positive, temperature, undo_compensation
from brumel.core.quantities import pool
from brumel.core.reckoning.definition import Condition, Curve, Number, Output, calculation
from brumel.core.said import Amount, Named, Said, celsius, figures, says


def _index_words(v: SimpleNamespace) -> Iterator[Said]:
    if v.cyanuric_acid_mg_l:
        share = float(pool.cyanurate_alkalinity(1.0, v.ph))
        yield says(
            "working.carbonate", ph=Amount(v.ph), alkalinity=Amount(v.alkalinity_mg_l_caco3),
            share=Amount(share, "", 2), stabiliser=Amount(v.cyanuric_acid_mg_l, "mg/L"),
        )  # fmt: skip
    balance, index = Amount(float(v.ph - v.index), "", 2), Amount(float(v.index), "", 2)
    yield says("working.balance", balance=balance)
    means = Named("balance", "kept" if abs(v.index) <= 0.3 else "scale" if v.index > 0 else "dissolves")
    yield says("working.index", ph=Amount(v.ph), balance=balance, index=index, means=means)


@calculation(
    name="saturation-index",
    title="Saturation index of a pool",
    formula="pH − (9.3 + A + B − C − D); A = (log10 TDS − 1) / 10, B = −13.12 log10 T + 34.55, "
    "C = log10 Ca − 0.4, D = log10 (alkalinity − f · cyanuric acid), "
    "f = 50.04/129.08 / (1 + 10^(6.88 − pH))",
    inputs=(
        PH,
        temperature(0.0, 50.0),
        Number("calcium_mg_l_caco3", "Calcium hardness, as CaCO3", "mg/L", 0.0, 10_000.0, above=True),
        Number("alkalinity_mg_l_caco3", "Total alkalinity, as CaCO3", "mg/L", 0.0, 10_000.0, above=True),
        Number("tds_mg_l", "Total dissolved solids", "mg/L", 10.0, 50_000.0),
        CYANURIC_ACID,
    ),
    outputs=(Output("index", "Saturation index", "", 2),),
    source="Langelier's index in its common form, 0.1–0.3 below the full one; pKa of cyanuric acid, from memory",
    conditions=(
        Condition(
            "cyanuric_acid_mg_l",
            lambda v: positive(v.alkalinity_mg_l_caco3 - pool.cyanurate_alkalinity(v.cyanuric_acid_mg_l, v.ph)),
            "Cyanuric acid makes more alkalinity at this pH than there is: no carbonate alkalinity is left.",
        ),
    ),
    words=_index_words,
    curve=Curve("ph", "index", low=6.5, high=8.5),
)
def saturation_index(
    ph: Any,
    temperature_c: Any,
    calcium_mg_l_caco3: Any,
    alkalinity_mg_l_caco3: Any,
    tds_mg_l: Any,
    cyanuric_acid_mg_l: Any,
) -> Any:
    return pool.saturation_index(
        ph, temperature_c, calcium_mg_l_caco3, alkalinity_mg_l_caco3, tds_mg_l, cyanuric_acid_mg_l
    )


def _salt_words(v: SimpleNamespace) -> Iterator[Said]:
    factor = float(pool.sodium_chloride_to_25(v.temperature_c))
    yield says(
        "working.salt-to-25", begin=celsius(v.temperature_c), factor=Amount(factor, "", 4),
        conductivity=figures(v.conductivity_us_cm * factor, 4, "µS/cm"),
    )  # fmt: skip
    yield says("working.salt", salt=figures(v.sodium_chloride_mg_l, 4, "mg/L"))


@calculation(
    name="pool-salt",
    title="Salt in a pool, as sodium chloride",
    formula="c where κ25 = Λ(c) · c, by the table of Λ; to 25 °C by the ratio of limiting conductances",
    inputs=(CONDUCTIVITY, temperature(0.0, 45.0)),
    outputs=(Output("sodium_chloride_mg_l", "Sodium chloride", "mg/L", 0),),
    source="equivalent conductance of NaCl (CRC Handbook; Robinson & Stokes for temperature), from memory",
    note="All conductivity is taken as sodium chloride; up to 5 844 mg/L. Not practical salinity.",
    conditions=(
        Condition(
            "conductivity_us_cm",
            lambda v: np.isfinite(v.out.sodium_chloride_mg_l),
            "The conversion holds up to 5 844 mg/L; {conductivity_us_cm:g} µS/cm at {temperature_c:g} °C is saltier.",
        ),
    ),
    words=_salt_words,
    undo=undo_compensation("conductivity_us_cm"),
    curve=Curve("conductivity_us_cm", "sodium_chloride_mg_l", low=0.0, high=10_000.0),
)
def pool_salt(conductivity_us_cm: Any, temperature_c: Any) -> Any:
    return pool.sodium_chloride_mg_l(conductivity_us_cm, temperature_c)
