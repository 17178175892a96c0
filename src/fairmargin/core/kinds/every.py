"""Every kind of change that is built in. Common practice."""

from __future__ import annotations

from typing import Final

from fairmargin.core.kinds.record import ChangeKind, Prompt, Worn

KINDS: Final[tuple[ChangeKind, ...]] = (
    ChangeKind(
        "wheels", "mixed", usual_effect=0.06, swap_min=45.0,
        forgotten=(
            "Other wheels change the rolling circumference and so the odometer: enter it, or read a GPS distance. "
            "Bolts to the handbook's torque, and again after the first kilometres."
        ),
        caution="Lift only on firm level ground with stands; bolts to the handbook's torque, again after the first kilometres.",
        prompts=(
            Prompt("diameter_width_offset", "Diameter, width, offset of both", "16 × 6.5 J ET45; 17 × 7 J ET48"),
            Prompt("wheel_mass", "Mass of one wheel, both", "9.8 kg; 12.2 kg, with tyre"),
            Prompt("same_tyre", "Tyres the same?", "same make, age and pressure",
                   ("no", "other", "different"), "Other tyres on the other wheels: wheel and tyre change at once."),
        ),
        checklist=(
            ("before the day", "Torque wrench, jack, gloves; both sets weighed, diameter, width and offset written down"),
            ("swap", "Bolts to the handbook's torque, and again after the first kilometres"),
            ("swap", "Same tyre make, age and pressure on both sets, or it is two changes"),
        ),
        asks=("driven_before_s", "gps_distance_km"), turns_wheels=True, one_of_many=True,
    ),
    ChangeKind(
        "aero covers", "aerodynamic", usual_effect=0.05, swap_min=12.0,
        forgotten=(
            "Check that every cover is secured. Keep the covers aboard on the baseline runs, so that only the shape "
            "differs."
        ),
        caution="A loose cover can come off at speed: pull at every one before each run.",
        prompts=(
            Prompt("fitted_first", "Which is fitted now?", "off"),
            Prompt("secured", "How are they secured?", "clipped, pulled at by hand"),
            Prompt("aboard", "Where are they on baseline runs?", "in the load bay"),
        ),
        checklist=(
            ("swap", "Every cover pulled at by hand: a loose one can fly off and hurt someone"),
            ("swap", "Covers that are off travel inside, so that only the shape differs"),
        ),
        wear=lambda x: Worn(drag=1 + x, mass_kg=2.5),
    ),
    ChangeKind(
        "tyres", "rolling", usual_effect=0.06, swap_min=60.0,
        forgotten="Compare tread and age, not only the label. Same pressure, both cold. Run new tyres in first.",
        caution="Lift only on firm level ground with stands; bolts to the handbook's torque, again after the first kilometres.",
        prompts=(
            Prompt("label_class", "Label class of both", "A; C"),
            Prompt("tread_age", "Tread and age of both", "6 mm, 2023; 4 mm, 2020"),
            Prompt("cold_pressure", "Cold pressure", "2.9 bar all round, both"),
            Prompt("run_in", "Run in?", "300 km"),
        ),
        checklist=(
            ("before the day", "Tread depth and date of each tyre written down; new tyres run in for 300 km"),
            ("arrival", "Pressures of both sets set cold at one temperature, and written down with it"),
            ("swap", "Wheel bolts to the handbook's torque, and again after the first kilometres"),
            ("swap", "Half an hour driven on the set before its first leg (ISO 28580 warms as long), and noted in \u201cdriven before\u201d"),
            ("each run", "GPS distance of one leg in each configuration: the odometer follows the tyre"),
        ),
        asks=("tyre_pressure_kpa", "driven_before_s", "gps_distance_km"), wear=lambda x: Worn(rolling=1 + x), turns_wheels=True,
    ),
    ChangeKind(
        "cargo", "aerodynamic", usual_effect=0.15, swap_min=15.0,
        forgotten="Keep the load aboard on the baseline runs: that isolates its shape from its mass.",
        caution="Stay under the roof limit; check straps after the first kilometres; mind low bridges.",
        prompts=(
            Prompt("stowed", "Where is it on baseline runs?", "aboard: then mass is equal and only the shape differs"),
            Prompt("frontal", "Frontal area of the thing", "1.2 m × 0.4 m"),
        ),
        checklist=(
            ("before the day", "Roof limit looked up; straps and edge protectors"),
            ("swap", "The thing travels inside on baseline runs: mass stays, shape changes"),
            ("each run", "Straps tight, checked after the first kilometres"),
        ),
        wear=lambda x: Worn(drag=1 + x, mass_kg=2.5), brings_mass=True, undeclared_mass=0.03,
        beside_shape="carry the load inside on baseline runs",
    ),
    ChangeKind(
        "payload", "mass", usual_effect=0.08, swap_min=25.0,
        forgotten="Weigh it. If it stands above the cab it is frontal area too: then two things change at once.",
        caution="Stay under the plate; strap the load; half-full tanks slosh.",
        prompts=(
            Prompt("weighed", "Weighed? How much?", "320 kg, bathroom scale, sack by sack"),
            Prompt("where", "Where does it stand?", "on the floor, before the rear axle"),
            Prompt("above_cab", "Does it stand above the cab?", "no; if yes it is shape too: two changes",
                   ("yes", "y ", "above"), "The load stands above the cab: shape changes as well as mass."),
        ),
        checklist=(
            ("before the day", "Load weighed, payload left looked up on the plate"),
            ("swap", "Load strapped, nothing above the cab, liquids in full tanks (they slosh)"),
        ),
        wear=lambda x: Worn(mass_share=x), brings_mass=True, mass_alone=True, undeclared_mass=0.10,
    ),
    ChangeKind(
        "towing", "mixed", usual_effect=0.45, swap_min=15.0,
        forgotten=(
            "Plates, handbook and law come first: towing limit, nose weight, brakes, lights, chains. Hot brakes on "
            "descents."
        ),
        caution="Plates, handbook and law first. Hitch, chain, brakes and lights before every run; hot brakes on descents.",
        prompts=(
            Prompt("trailer", "What is towed?", "bread trailer, box, 1.9 m high"),
            Prompt("limits", "All plates read?", "see Plan, Load: the lowest counts"),
        ),
        checklist=(
            ("before the day", "Trailer weighed, nose weight measured, limits read from all plates"),
            ("before the day", "Trailer tyres: pressure cold, age, tread and load index; wheel nuts to the plate's torque"),
            ("before the day", "Mirrors that see past the trailer; insurance and speed limit for towing looked up"),
            ("swap", "Coupling locked, safety chain or breakaway cable on, plug, all lights tried, brakes, jockey wheel up"),
            ("each run", "Nose weight unchanged; load strapped; brakes cool after descents"),
            ("each run", "Trailer's wheel nuts again after the first kilometres; coupling, cable and plug looked at"),
        ),
        wear=lambda x: Worn(drag=1 + x, rolling=1 + 0.3 * x, mass_kg=350.0 * min(1.0, abs(x) * 3)),
        wears_as=("aerodynamic", "rolling"), brings_mass=True, one_of_many=True, undeclared_mass=0.25, hitched=True,
    ),
    ChangeKind(
        "preconditioning", "auxiliary", usual_effect=0.2, swap_min=45.0,
        forgotten="Write down what the wall supplied before departure, or the warm-up looks free.",
        caution="Use a socket and cable rated for hours of load.",
        prompts=(
            Prompt("what", "Cabin, battery, or both?", "both, 30 min before departure"),
            Prompt("plugged", "Plugged in?", "yes, with a meter on the socket"),
            Prompt("frost", "Frost?", "−4 °C at departure"),
        ),
        checklist=(
            ("before the day", "Energy meter on the wall socket"),
            ("each run", "Wall meter before and after; cabin and battery temperature at departure; frost written down"),
        ),
        asks=("grid_kwh", "climate"), from_the_wall=True,
    ),
    ChangeKind(
        "technique", "technique", usual_effect=0.15, swap_min=3.0,
        forgotten="Say exactly what differs, who drives, and note the trip time: slower is often the whole effect.",
        caution="Keep with the traffic: a slow vehicle is a hazard too. Never follow closely to test.",
        prompts=(
            Prompt("differs", "What exactly differs?", "coasting to junctions; regeneration level 1 instead of 3"),
            Prompt("who", "Who drives?", "the same driver for both"),
        ),
        checklist=(
            ("each run", "Say before the leg how it is driven; note the time it took"),
            ("each run", "Same driver for both, or drivers swapped half way"),
        ),
    ),
    ChangeKind(
        "other", "unknown", usual_effect=0.15, swap_min=15.0,
        forgotten="Hold everything else the same, and say how you did.",
        caution="Keep to limits and with the traffic.",
        prompts=(
            Prompt("what", "What exactly changes?", "one sentence"),
        ),
    ),
)  # fmt: skip
