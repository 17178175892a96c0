"""A kind of change that is not built in, written as a record of `core/kinds/every.py` would be."""

from fairmargin.core.kinds import ChangeKind, Prompt, Worn

ROOF_TENT = ChangeKind(
    "roof tent",
    "aerodynamic",
    usual_effect=0.15,
    swap_min=35.0,
    forgotten="Carry the folded tent aboard on the baseline runs.",
    caution="Stay under the roof limit, tent and sleepers apart.",
    prompts=(Prompt("folded", "How high is it folded?", "0.32 m", ("unfolded",), "Nobody drives with it unfolded."),),
    checklist=(("swap", "Four clamps at the handbook's torque"),),
    asks=("mass_delta_kg",),
    wear=lambda x: Worn(drag=1 + x, mass_kg=60.0),
    brings_mass=True,
    beside_shape="carry it inside on baseline runs",
    undeclared_mass=0.03,
)
