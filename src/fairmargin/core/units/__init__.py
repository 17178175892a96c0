"""Consumption and its many spellings, and the other quantities a tester reads.

Conversion happens here, at the edge; everything inside works in Wh/km and SI. Consumption units come in
two families: energy per distance (more is worse) and distance per energy (more is better). Fuel units pass
through the lower heating value of the fuel.

References
----------
.. [1] NIST SP 811 (2008), Guide for the Use of the SI, Appendix B: mile, gallon, knot, psi, inHg factors.
"""

from fairmargin.core.units.consumption import (
    CONSUMPTION_UNITS,
    HEATING_VALUE_WH_PER_L,
    HPA_PER_INHG,
    KG_PER_LB,
    KM_PER_MILE,
    KPA_PER_PSI,
    L_PER_IMPERIAL_GALLON,
    L_PER_US_GALLON,
    M_PER_FOOT,
    M_S_PER_KNOT,
    UNIT_LABEL,
    ConsumptionUnit,
    UnitError,
    convert,
    from_wh_per_km,
    is_fuel_unit,
    label,
    more_is_better,
    per_distance_mean,
    range_change_percent,
    to_step,
    to_wh_per_km,
)
from fairmargin.core.units.quantities import ALSO, QUANTITIES, UNIT_CHOICES, Unit, UnitChoice, unit_of
from fairmargin.core.units.sentences import SENTENCE_UNITS, SaidError, in_units, plain, said, said_range
from fairmargin.core.units.typed import (
    TypedConsumption,
    TypedNumber,
    consumption_unit,
    read_consumption,
    read_direction,
    read_duration_s,
    read_in,
    read_number,
    read_quantity,
    refuse_impossible,
    refuse_thousands,
    show_duration,
    typed_with_groups,
)

__all__ = [
    "ALSO",
    "CONSUMPTION_UNITS",
    "HEATING_VALUE_WH_PER_L",
    "HPA_PER_INHG",
    "KG_PER_LB",
    "KM_PER_MILE",
    "KPA_PER_PSI",
    "L_PER_IMPERIAL_GALLON",
    "L_PER_US_GALLON",
    "M_PER_FOOT",
    "M_S_PER_KNOT",
    "QUANTITIES",
    "SENTENCE_UNITS",
    "UNIT_CHOICES",
    "UNIT_LABEL",
    "ConsumptionUnit",
    "SaidError",
    "TypedConsumption",
    "TypedNumber",
    "Unit",
    "UnitChoice",
    "UnitError",
    "consumption_unit",
    "convert",
    "from_wh_per_km",
    "in_units",
    "is_fuel_unit",
    "label",
    "more_is_better",
    "per_distance_mean",
    "plain",
    "range_change_percent",
    "read_consumption",
    "read_direction",
    "read_duration_s",
    "read_in",
    "read_number",
    "read_quantity",
    "refuse_impossible",
    "refuse_thousands",
    "said",
    "said_range",
    "show_duration",
    "to_step",
    "to_wh_per_km",
    "typed_with_groups",
    "unit_of",
]
