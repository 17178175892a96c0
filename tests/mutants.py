"""One-line mutants of rules that no test may let live: each is put into a copy of the tree and must fail its tests.

A mutant is a file, a text of it that stands there once, what stands there instead, and the tests that are to notice.
``make mutants`` draws 40 of them anew, and makes 10 that nobody wrote down; it prints the seed, and ``SEED=…`` takes them
again. ``make mutants ALL=1`` tries every one that is written down. Survivors are listed, and end the run with status 1.
"""

from __future__ import annotations

import ast
import os
import random
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).parent.parent
CORE, BOOK = "src/fairmargin/core", "src/fairmargin/logbook"

MUTANTS: tuple[tuple[str, str, str, str], ...] = (
    # the question of each trade: hills, two sides, trips, loads, places, attachments
    (f"{CORE}/result/hills.py", "self.up.wh - self.level.wh_per_km * self.up.km", "self.up.wh + self.level.wh_per_km * self.up.km", "tests/core/result/test_hills.py"),
    (f"{CORE}/result/hills.py", "low = mean - half * (1 - share) / (1 + share)", "low = mean", "tests/core/result/test_hills.py"),
    (f"{CORE}/result/hills.py", "flat_wh = up.wh - lift_wh / drive", "flat_wh = up.wh - lift_wh * drive", "tests/core/result/test_hills.py"),
    (f"{CORE}/result/hills.py", "100 * min(back / costs, 1.0)", "100 * back / costs * 2", "tests/core/result/test_hills.py"),
    (f"{CORE}/result/sides.py", "100.0 * (reach[1] / reach[0] - 1.0)", "100.0 * (reach[0] / reach[1] - 1.0)", "tests/core/result/test_sides.py"),
    (f"{CORE}/result/sides.py", "base / c.baseline_wh_per_km, trial / c.trial_wh_per_km", "base / c.baseline_wh_per_km, base / c.trial_wh_per_km", "tests/core/result/test_sides.py"),
    (f"{CORE}/evidence/climb.py", "None if end is None else end - until", "None if end is None else end", "tests/core/evidence/test_climb.py"),
    (f"{CORE}/outcome/charging_stops.py", "0.0 if charger.hitched or trip.unhitch_min is None", "0.0 if trip.unhitch_min is None", "tests/core/outcome/test_trips.py"),
    (f"{CORE}/outcome/charging_stops.py", "by = 0 if self.must else", "by = 0 if True else", "tests/core/outcome/test_trips.py"),
    (f"{CORE}/outcome/way.py", "made.append(s.with_(speed_kmh=asking.kmh))", "made.append(s.with_(speed_kmh=60.0))", "tests/core/outcome/test_trips.py"),
    (f"{CORE}/outcome/asking.py", "where=whole > 0)", "where=whole >= 0)", "tests/jobs/test_job04_two_vehicles_three_loads_three_sectors.py"),
    (f"{CORE}/units/typed.py", "if match is not None and match[2] == groups:", "if match is not None and match[2] == 'x':", "tests/core/test_units.py"),
    (f"{CORE}/planning/load.py", 'units.refuse_thousands(match[2], ",")', "pass", "tests/core/planning/test_load.py"),
    ("src/fairmargin/desktop/widgets/decimals.py", "parts = _typed.found().split(text)", "parts = [text]", "tests/desktop/test_decimals.py"),
    (f"{CORE}/inference/prediction.py", "len(self._taken) >= MOST_KEPT", "False", "tests/core/outcome/test_asking.py"),
    (f"{CORE}/planning/load.py", "return WHEELS * (other - one)", "return other - one", "tests/core/planning/test_load.py"),
    (f"{CORE}/result/questions.py", "max(ways) > UNLIKE_LENGTH * min(ways)", "max(ways) > 0", "tests/core/result/test_questions.py"),
    (f"{CORE}/study/as_told.py", "drivers.pop() if len(drivers) == 1 else", "", "tests/core/result/test_questions.py"),
    (f"{CORE}/study/attachments.py", "if size > MOST_BYTES:", "if False:", "tests/core/study/test_attachments.py"),
    ("src/fairmargin/exchange/words/answers.py", "word = \"further\" if trial > base else \"less\"", "word = \"less\"", "tests/exchange/words/test_answers.py"),
    ("src/fairmargin/exchange/words/across.py", "if not p.told_apart and (low > 0 or high < 0):", "if False:", "tests/exchange/words/test_stayed.py"),
    # readings by way of another, sectors with roads of their own, one reading over both ways
    (f"{CORE}/evidence/indirect.py", "(2.0 if goes_on else 1.0) * step**2", "1.0 * step**2", "tests/core/evidence/test_indirect.py"),
    (f"{CORE}/evidence/indirect.py", "energy - earlier, sd", "energy, sd", "tests/core/evidence/test_indirect.py"),
    (f"{CORE}/evidence/indirect.py", "or after.soc_start_percent >= leg.soc_start_percent", "", "tests/core/evidence/test_indirect.py"),
    (f"{CORE}/evidence/indirect.py", "and len(_of(legs)) == 1", "", "tests/core/evidence/test_indirect.py"),
    (f"{CORE}/study/sectors.py", "own[-1] + 2", "own[-1] + 1", "tests/core/study/test_sectors.py"),
    (f"{CORE}/study/sectors.py", "whole + place_m - first", "place_m", "tests/core/study/test_sectors.py"),
    (f"{CORE}/inference/fit.py", "if sector[c.leg] != here}", "if False}", "tests/core/inference/test_speeds.py"),
    (f"{CORE}/conditions/air.py", "min(sd, LEG_UNNOTED.sd)", "sd", "tests/core/conditions/test_spans.py"),
    (f"{CORE}/inference/unknowns.py", "if c.there_and_back:", "if False:", "tests/core/study/test_runs.py"),
    (f"{CORE}/result/questions.py", "while code == AIR_COLUMN and len(_airless(study)) > 1:", "while False:", "tests/core/result/test_questions.py"),
    (f"{CORE}/orders.py", "x.count(\"A\") == x.count(\"B\") and abs(drift_left(x)) <= KEPT", "abs(drift_left(x)) <= 10 * KEPT", "tests/core/test_orders.py"),
    (f"{CORE}/evidence/conditions.py", "c = replace(c, speed_sd=math.hypot(c.speed_sd, HELD_UP_UNTOLD))", "pass", "tests/core/conditions/test_slow_traffic.py"),
    (f"{CORE}/result/results.py", "float(RATED_CAPACITY) if by_rating else", "", "tests/exchange/words/test_rated.py"),
    # the test day as a referee would judge it
    (f"{CORE}/conditions/distance.py", "weights = _distance_weights(design) + _speed_weights(design)", "weights = _distance_weights(design)", "tests/core/conditions/test_distance.py"),
    (f"{CORE}/conditions/distance.py", "TurnToldBy.NOTHING: Prior(0.01,", "TurnToldBy.NOTHING: Prior(0.005,", "tests/core/conditions/test_distance.py"),
    (f"{CORE}/evidence/distances.py", "both = {study.baseline.id} <= measured", "both = True", "tests/core/conditions/test_distance.py"),
    (f"{CORE}/evidence/conditions.py", "ratios[study.baseline.id] / ratios[leg.configuration])", "1.0)", "tests/core/conditions/test_distance.py"),
    (f"{CORE}/evidence/conditions.py", "study.driven_before_s(study.leg(c.leg)) if first else study.leg(c.leg).driven_before_s", "study.driven_before_s(study.leg(c.leg))", "tests/core/conditions/test_warm_up.py"),
    (f"{CORE}/study/values.py", "minutes = own[0] if own else self.circumstances.warm_up_min", "minutes = self.circumstances.warm_up_min", "tests/core/conditions/test_warm_up.py"),
    (f"{CORE}/fairness/statistics.py", "unsettles=flips and _is_wild(case, leg),", "unsettles=False,", "tests/core/inference/test_foretold.py"),
    (f"{CORE}/inference/foretold.py", "log_weights = np.log(np.maximum(result.weights, 1e-300))[:, None] - log_density", "log_weights = np.log(np.maximum(result.weights, 1e-300))[:, None] + log_density", "tests/core/inference/test_foretold.py"),
    (f"{CORE}/fairness/statistics.py", '"left-out-after-result", stage="examine", needs="nothing", covered=False', '"left-out-after-result", stage="examine", needs="nothing", covered=True', "tests/core/test_regression.py"),
    (f"{CORE}/study/registration.py", "if any(leg.has_reading for leg in study.legs):", "if False:", "tests/core/study/test_registration.py"),
    (f"{CORE}/study/registration.py", "sort_keys=True, separators", "separators", "tests/core/study/test_registration.py"),
    (f"{CORE}/result/looks.py", "_NORMAL.inv_cdf(1.0 - alpha / 4.0)", "_NORMAL.inv_cdf(1.0 - alpha / 2.0)", "tests/core/result/test_looks.py"),
    (f"{CORE}/result/looks.py", "not 1 <= pairs < registration.pairs", "not 1 <= pairs <= registration.pairs", "tests/core/result/test_looks.py"),
    (f"{CORE}/fairness/registered.py", "late = [x for x in case.study.said_afterwards if x in CRITERIA]", "late = []", "tests/core/study/test_registration.py"),
    (f"{CORE}/result/verdict.py", "order_sd_percent**2 * left**2", "order_sd_percent**2 * left", "tests/core/result/test_verdict.py"),
    (f"{CORE}/inference/budget.py", "OF_ORDER: Final = frozenset({Group.WARM_UP, Group.DRIFT, Group.DIRECTION})", "OF_ORDER: Final = frozenset({Group.DIRECTION})", "tests/core/inference/test_fit.py"),
    (f"{CORE}/result/corrections.py", 'result["road"] = level * np.expm1(-water)', 'result["road"] = level * np.expm1(water)', "tests/core/result tests/core/test_regression.py"),
    (f"{CORE}/conditions/change.py", "FITTING: Final = Prior(0.004,", "FITTING: Final = Prior(0.0004,", "tests/core/fairness/test_prices.py tests/core/test_regression.py"),
    (f"{CORE}/fairness/statistics.py", "product = trial * columns[:, 2]", "product = columns[:, 2]", "tests/core/inference/test_foretold.py"),
    (f"{CORE}/inference/sensitivity.py", "innovation = at_point + e.jacobian @ (theta - mean)", "innovation = at_point + e.jacobian @ (mean - theta)", "tests/core/result/test_sensitivity.py"),
    (f"{CORE}/result/claims.py", "c, worst = min(found", "c, worst = max(found", "tests/core/result/test_claims.py"),
    ("src/fairmargin/exchange/words/across.py", "if low > 0 or high < 0:", "if low > 0:", "tests/exchange/words/test_stayed.py"),
    (f"{CORE}/laws/battery.py", "(COLD_SHARE_PER_K * max(MILD_C - temperature_c, 0.0)) ** 2", "(COLD_SHARE_PER_K * max(temperature_c - MILD_C, 0.0)) ** 2", "tests/core/laws/test_battery.py"),
    (f"{CORE}/outcome/asking.py", "made = asking.band(configuration, [held(a) for a in asked])", "made = asking.band(configuration, asked)", "tests/core/outcome/test_asking.py"),
    (f"{CORE}/outcome/average_wind.py", "cross_wind_ms=wind_ms * math.sin(a)", "cross_wind_ms=0.0", "tests/core/outcome/test_average_wind.py"),
    (f"{CORE}/inference/prediction.py", "g = (g_t.sum(axis=0) / e_t.sum() - g_b.sum(axis=0) / e_b.sum())[None, :]", "g = (g_t.sum(axis=0) / e_t.sum())[None, :]", "tests/core/outcome/test_average_wind.py"),
    (f"{CORE}/laws/coasting.py", "2.0 / (1.0 / np.asarray(out_s) + 1.0 / np.asarray(back_s))", "(np.asarray(out_s) + np.asarray(back_s)) / 2.0", "tests/core/laws/test_coasting.py"),
    (f"{CORE}/laws/coasting.py", "mass_kg * (1.0 + ROTATING_MASS)", "mass_kg", "tests/core/laws/test_coasting.py"),
    (f"{CORE}/evidence/coasts.py", "if _power_w(trace, float(t[a]), float(t[b])) > MOST_W:", "if False:", "tests/core/evidence/test_coasts.py"),
    (f"{CORE}/inference/coast_down.py", "rise = (-1.0 if c.backwards else 1.0) * float", "rise = float", "tests/core/inference/test_coast_down.py"),
    (f"{CORE}/laws/rolling.py", "absolute * (ZERO_C_K + now_c) / (ZERO_C_K + set_c)", "absolute * (ZERO_C_K + set_c) / (ZERO_C_K + now_c)", "tests/core/laws/test_rolling.py"),
    (f"{CORE}/conditions/vehicle.py", 'CONTROL_ALIKE if design.study.circumstances.vehicles == "alike" else CONTROL', "CONTROL", "tests/core/fairness/test_fairness.py"),
    # figures that a pencil can check
    (f"{CORE}/result/steps.py", 'if told is (kind == "noted"):', 'if told is not (kind == "noted"):', "tests/core/result/test_steps.py"),
    (f"{CORE}/result/steps.py", "alike = len(ways[0]) > 1 and set(ways[0]) == set(ways[1])", "alike = False", "tests/core/result/test_steps.py"),
    (f"{CORE}/result/steps.py", "by_remainder = sorted(range(len(exact)), key=lambda i: whole[i] - exact[i])", "by_remainder = list(range(len(exact)))", "tests/core/result/test_steps.py"),
    (f"{CORE}/inference/problem.py", "return mean if known and abs(mean / target - 1.0) > SPEED_OFF_TARGET else target", "return target", "tests/core/fairness/test_fairness.py"),
    (f"{CORE}/model/paths.py", "usual_k = float(np.mean(settings)) if settings else 0.0", "usual_k = 0.0", "tests/core/result/test_steps.py"),
    (f"{CORE}/analysis.py", "why = outside_its_pairs(made)", 'why = ""', "tests/core/test_analysis.py"),
    (f"{CORE}/result/comparison.py", "return [x + sides.effect.log_ratio - whole for x in logs]", "return logs", "tests/core/result/test_pairs.py"),
    (f"{CORE}/result/pairs.py", "for day, block in dict.fromkeys((d.day, d.block) for d in here):", "for day, block in dict.fromkeys((0, d.block) for d in here):", "tests/core/result/test_pairs.py"),
    (f"{CORE}/result/by_instrument.py", "kinds = [k for k in on_all([*a, *b]) if trusted(case.study, k)]", "kinds = on_all([*a, *b])", "tests/core/result/test_by_instrument.py"),
    ("src/fairmargin/exchange/reports/carried.py", "if hashlib.sha256(data).hexdigest() != found[1]:", "if False:", "tests/exchange/reports/test_carried.py"),
    ("src/fairmargin/exchange/words/steps.py", "if abs(c.usual_percent) <= LEAST_USUAL * c.half_width_percent", "if True", "tests/exchange/words/test_steps.py"),
    # the logbook's promises
    (f"{BOOK}/files.py", "PRAGMA synchronous = EXTRA", "PRAGMA synchronous = OFF", "tests/logbook/test_opening.py"),
    (f"{BOOK}/opening.py", 'if found != "ok":', 'if found == "":', "tests/logbook/test_damage.py"),
    (f"{BOOK}/opening.py", 'copies.keep(path, f"before {schema.HEAD}")', "pass", "tests/logbook/test_opening.py"),
    (f"{BOOK}/opening.py", 'connect(opened.database, "rw" if writable else "ro")', 'connect(opened.database, "ro")', "tests/logbook/test_opening.py"),
    (f"{BOOK}/opening.py", "if earlier or (because and _hot(path) and because != OTHER_WINDOW):", "if earlier:", "tests/logbook/test_opening.py"),
    (f"{BOOK}/rows.py", 'return parsed(row["body"]) if row["body_check"] == check_of(row["body"]) else None', 'return parsed(row["body"])', "tests/logbook/test_damage.py"),
    (f"{BOOK}/store.py", 'if row["row_check"] == row_check(row):\n                entry = entry_of(row)', "if True:\n                entry = entry_of(row)", "tests/logbook/test_damage.py"),
    (f"{BOOK}/store.py", 'raise ValueError("not what was written")', "pass", "tests/logbook/test_damage.py"),
    (f"{BOOK}/store.py", "there < written:", "there > written:", "tests/logbook/test_damage.py"),
    (f"{BOOK}/copies.py", "if why == DAILY and not is_whole(copied):", "if False:", "tests/logbook/test_copies.py"),
    (f"{BOOK}/copies.py", "journal_of(path).unlink(missing_ok=True)", "pass", "tests/logbook/test_copies.py"),
    # what was typed is what stands there
    (f"{CORE}/inference/plausible.py", "DOUBT_Z: Final = 3.5", "DOUBT_Z: Final = 350.0", "tests/core/fairness/test_doubts.py"),
    (f"{CORE}/inference/plausible.py", "near[np.argmax(np.abs(self.alone[near]))]", "near[np.argmin(np.abs(self.alone[near]))]", "tests/core/fairness/test_doubts.py"),
    (f"{CORE}/result/verdict.py", "if high < 0 and not unsettled:", "if high < 0:", "tests/core/fairness/test_doubts.py"),
    (f"{CORE}/fairness/records.py", "if wh_per_km > limit.LEAST_TAKEN * level or is_confirmed(leg):", "if True:", "tests/core/fairness/test_doubts.py"),
    (f"{CORE}/study/slips.py", 'return leg.confirmed != "" and leg.confirmed == show_readings(leg)', 'return leg.confirmed != ""', "tests/core/fairness/test_doubts.py"),
    (f"{CORE}/units/dates.py", 'if not possible or any(d.sign == "." for d in dates)', "if not possible or False", "tests/exchange/tables/test_headers.py"),
    (f"{CORE}/units/dates.py", "if len(possible) == 1:", "if False:", "tests/exchange/tables/test_headers.py"),
    ("src/fairmargin/exchange/tables/headers.py", 'return BEAUFORT_M_S[int(value)]', "return value", "tests/exchange/tables/test_headers.py"),
    ("src/fairmargin/exchange/meteorology/stations.py", 'values["pressure_hpa"] = reduced * ratio', 'values["pressure_hpa"] = reduced', "tests/exchange/tables/test_headers.py"),
    ("src/fairmargin/exchange/tables/receipts.py", 'if match["sign"] == "," and "," in match["kwh"]:', "if False:", "tests/exchange/tables/test_headers.py"),
    (f"{CORE}/conditions/typed.py", "            return 60.0 * seconds", "            return seconds", "tests/desktop/test_typed_stays.py"),
    ("src/fairmargin/desktop/stages/leg_edits.py", "study_id != self.session.study_id:\n            raise", "False:\n            raise", "tests/desktop/test_typed_stays.py"),
    (f"{BOOK}/copies.py", "key=lambda c: (c.made_at <= now, c.made_at)", "key=lambda c: c.made_at", "tests/logbook/test_places.py"),
    (f"{BOOK}/files.py", "return path.resolve() if path.is_symlink() else path", "return path", "tests/logbook/test_places.py"),
    # rules of the trade: laws, model, evidence, fairness, inference, result
    (f"{CORE}/laws/rolling.py", 'PRESSURE_EXPONENT: Final = -0.4', 'PRESSURE_EXPONENT: Final = 0.4', 'tests/core/laws tests/core/fairness/test_prices.py'),
    (f"{CORE}/laws/rolling.py", 'np.exp(-np.asarray(per_k) * above)', 'np.exp(np.asarray(per_k) * above)', 'tests/core/laws'),
    (f"{CORE}/laws/rolling.py", 'above)), -above)', 'above)), above)', 'tests/core/laws'),
    (f"{CORE}/laws/rolling.py", 'share / value', 'share', 'tests/core/laws'),
    (f"{CORE}/laws/rolling.py", '1.0 - (1.0 - share) * math.exp', '1.0 - share * math.exp', 'tests/core/laws'),
    (f"{CORE}/laws/rolling.py", 'share * math.exp(-driven_s / WARM_UP_S)', 'share * math.exp(-driven_s / COOL_DOWN_S)', 'tests/core/laws'),
    (f"{CORE}/laws/rolling.py", 'share * (passed * WARM_UP_S', '(passed * WARM_UP_S', 'tests/core/laws'),
    (f"{CORE}/laws/wind.py", '(gust_m_s - speed) / GUST_DEVIATES', '(gust_m_s - speed) / 2.0', 'tests/core/laws'),
    (f"{CORE}/laws/wind.py", 'TURBULENCE_SHARE: Final = 0.18', 'TURBULENCE_SHARE: Final = 0.0', 'tests/core/laws'),
    (f"{CORE}/laws/wind.py", 'east * cos - north * sin', 'north * sin - east * cos', 'tests/core/laws'),
    (f"{CORE}/laws/wind.py", 'north * cos + east * sin', 'north * cos - east * sin', 'tests/core/laws'),
    (f"{CORE}/laws/wind.py", 'CAR_TURBULENCE_SHARE: Final = 0.9', 'CAR_TURBULENCE_SHARE: Final = 0.0', 'tests/core/fairness/test_prices.py'),
    (f"{CORE}/laws/wind.py", 'math.log(car_height_m / z0) / math.log(measured_at_m / z0)', 'math.log(measured_at_m / z0) / math.log(car_height_m / z0)', 'tests/core/laws'),
    (f"{CORE}/laws/aero.py", 'self._air_speed * self.along + self.gusts2', 'self._air_speed * self.along - self.gusts2', 'tests/core/laws'),
    (f"{CORE}/laws/aero.py", 'self.across * self.across + self.gusts2', 'self.across * self.across', 'tests/core/laws'),
    (f"{CORE}/laws/aero.py", '1 + self.yaw_slope * self._growth[0]', '1 - self.yaw_slope * self._growth[0]', 'tests/core/laws'),
    (f"{CORE}/laws/aero.py", 'YAW_LIMIT_DEG: Final = 15.0', 'YAW_LIMIT_DEG: Final = 45.0', 'tests/core/laws'),
    (f"{CORE}/laws/aero.py", 'BOX_DRAG_COEFFICIENT: Final = 0.5', 'BOX_DRAG_COEFFICIENT: Final = 1.0', 'tests/core/fairness/test_prices.py'),
    (f"{CORE}/laws/disturbance.py", 'v2 = np.asarray(speed_m_s, dtype=float) ** 2 - ', 'v2 = np.asarray(speed_m_s, dtype=float) ** 2 + ', 'tests/core/laws'),
    (f"{CORE}/laws/disturbance.py", '(1.0 / np.asarray(drive_efficiency) - np.asarray(regen_efficiency))', '(1.0 / np.asarray(drive_efficiency) + np.asarray(regen_efficiency))', 'tests/core/laws'),
    (f"{CORE}/conditions/events.py", '-disturbance.WAKE_SHARE * case', 'disturbance.WAKE_SHARE * case', 'tests/core/fairness/test_prices.py'),
    (f"{CORE}/laws/disturbance.py", '"wet": (0.06, 0.03)', '"wet": (0.01, 0.03)', 'tests/core/fairness/test_prices.py'),
    (f"{CORE}/laws/driveline.py", 'BATTERY_PER_K: Final = -0.001', 'BATTERY_PER_K: Final = 0.001', 'tests/core/fairness/test_prices.py'),
    (f"{CORE}/laws/driveline.py", 'colder = REFERENCE_C - ', 'colder = -REFERENCE_C + ', 'tests/core/laws'),
    (f"{CORE}/laws/auxiliaries.py", 'np.asarray(climate_w_per_k) * ', '0.0 * ', 'tests/core/fairness/test_prices.py'),
    (f"{CORE}/laws/auxiliaries.py", 'abs(setting_c - outside_c)', 'setting_c - outside_c', 'tests/core/laws'),
    (f"{CORE}/laws/auxiliaries.py", 'SUN_W: Final = 120.0', 'SUN_W: Final = 12.0', 'tests/core/fairness/test_prices.py'),
    (f"{CORE}/laws/air.py", '_M_WATER: Final = 18.01528e-3', '_M_WATER: Final = 28.01528e-3', 'tests/core/laws'),
    (f"{CORE}/laws/route.py", '-self.slope_rad[::-1]', 'self.slope_rad[::-1]', 'tests/core/laws'),
    (f"{CORE}/model/energy.py", '-p.total(drawn) + t.cut + t.cut_back - t.regained_drawn', '-p.total(drawn) + t.cut + t.cut_back + t.regained_drawn', 'tests/core/model/test_energy.py'),
    (f"{CORE}/model/energy.py", '+ 2.0 * t.regained - t.watts', '- t.watts', 'tests/core/model/test_energy.py'),
    (f"{CORE}/model/energy.py", 'by_head * p.heading_cos - by_cross * p.heading_sin', 'by_head * p.heading_cos + by_cross * p.heading_sin', 'tests/core/model/test_energy.py'),
    (f"{CORE}/model/energy.py", 't.wh_air + t.wh_tyres + t.wh_rest + t.regained +', 't.wh_air + t.wh_tyres + t.wh_rest +', 'tests/core/model/test_energy.py'),
    (f"{CORE}/model/road.py", '1000.0 * float(event.at_km or 0.0)', 'float(event.at_km or 0.0)', 'tests/core/model/test_road.py'),
    (f"{CORE}/evidence/conditions.py", 'max(0.0, began - ended)', '0.0', 'tests/core/evidence/test_conditions.py'),
    (f"{CORE}/evidence/conditions.py", 'started_s + (leg.duration_s or 0.0) / 2, usual.offset', 'started_s, usual.offset', 'tests/core/fairness/test_records.py'),
    (f"{CORE}/evidence/clock.py", 'NIGHT_S and date != last', 'NIGHT_S', 'tests/core/fairness/test_records.py'),
    (f"{CORE}/evidence/readings.py", 'per_km * shown_km, sd', 'per_km * shown_km / (1.0 + (study.vehicle.distance_error_percent or 0.0) / 100.0), sd', 'tests/core/evidence/test_readings.py'),
    (f"{CORE}/fairness/records.py", 'forward < -limit.FORWARD_SHARE', 'forward > limit.FORWARD_SHARE', 'tests/core/fairness/test_records.py'),
    (f"{CORE}/fairness/records.py", 'over > limit.OVERLAP_S', 'over < limit.OVERLAP_S', 'tests/core/fairness/test_records.py'),
    (f"{CORE}/inference/otherwise.py", 'for j in concerned], self.logs, False)', 'for j in concerned], self.logs, True)', 'tests/core/inference/test_otherwise.py'),
    (f"{CORE}/inference/otherwise.py", 'if float(np.abs(bent).max(initial=0.0)) > STRAIGHT:', 'if False:', 'tests/core/inference/test_otherwise.py'),
    (f"{CORE}/planning/planned_parts.py", 'beside=tuple(x for x in told if x is not p)', 'beside=()', 'tests/core/planning/test_designs.py'),
    (f"{CORE}/companion.py", 'start, end = (max(start, first_km), min(end, last_km))', 'start, end = (first_km, last_km)', 'tests/core/test_companion.py'),
    (f"{CORE}/conditions/warm_up.py", 'case.without(Cause.WARM_UP)', 'case.without(Cause.TYRES)', 'tests/core/fairness/test_prices.py'),
    (f"{CORE}/conditions/tyres.py", 'case.without(Cause.PRESSURE)', 'case.without(Cause.MASS)', 'tests/core/fairness/test_prices.py'),
    (f"{CORE}/conditions/load.py", 'case.without(Cause.MASS)', 'case.without(Cause.PRESSURE)', 'tests/core/fairness/test_prices.py'),
    (f"{CORE}/conditions/climate.py", 'case.without(Cause.CLIMATE)', 'case.without(Cause.AIR)', 'tests/core/fairness/test_prices.py'),
    (f"{CORE}/conditions/air.py", '100.0 * driveline.battery_share(apart)', '-100.0 * driveline.battery_share(apart)', 'tests/core/fairness/test_prices.py'),
    (f"{CORE}/conditions/change.py", 'if stands else beyond', 'if not stands else beyond', 'tests/core/fairness/test_prices.py'),
    (f"{CORE}/conditions/wind.py", 'case.without(Cause.GUSTS)', 'case.without(Cause.AIR)', 'tests/core/fairness/test_prices.py'),
    (f"{CORE}/conditions/air.py", 'case.without(Cause.WIND, Cause.AIR, Cause.TYRES)', 'case.without(Cause.WIND, Cause.AIR)', 'tests/core/fairness/test_prices.py'),
    (f"{CORE}/conditions/climate.py", 'bias if summer else -bias', 'bias', 'tests/core/fairness/test_prices.py'),
    (f"{CORE}/conditions/road_state.py", 'bias = cost[1] - cost[0]', 'bias = cost[0] - cost[1]', 'tests/core/fairness/test_prices.py'),
    (f"{CORE}/conditions/day.py", 'bias = None if drift is None else drift * left', 'bias = None if drift is None else -drift * left', 'tests/core/fairness/test_prices.py'),
    (f"{CORE}/conditions/day.py", 'case.part_percent(Group.DAY)', 'case.part_percent(Group.SCATTER)', 'tests/core/fairness/test_prices.py'),
    (f"{CORE}/fairness/statistics.py", '        -percent,', '        percent,', 'tests/core/fairness/test_prices.py'),
    (f"{CORE}/conditions/instruments.py", 'count = max(1, min(len(a), len(b)))', 'count = 1', 'tests/core/fairness/test_prices.py'),
    (f"{CORE}/fairness/everyday.py", 'lambda c: 3.6 * c.speed_m_s', 'lambda c: c.speed_m_s', 'tests/core/fairness/test_prices.py tests/core/inference/test_everyday.py'),
    (f"{CORE}/conditions/concern.py", 'if not c.covered and c.bias_percent', 'if c.covered and c.bias_percent', 'tests/core/fairness'),
    (f"{CORE}/fairness/context.py", 'self.effect.percent - other.effects[self.trial].percent', 'other.effects[self.trial].percent - self.effect.percent', 'tests/core/fairness/test_prices.py'),
    (f"{CORE}/inference/problem.py", 'elif Cause.GUSTS in ignore', 'elif Cause.WIND in ignore', 'tests/core/fairness/test_prices.py'),
    (f"{CORE}/inference/problem.py", 'changes["climate_k"] = np.full(n, reference.climate_k)', 'changes["climate_k"] = legs.climate_k', 'tests/core/fairness/test_prices.py'),
    (f"{CORE}/inference/posterior.py", '- freedom * np.log(sizes) - half / sizes**2', '+ freedom * np.log(sizes) - half / sizes**2', 'tests/core/inference'),
    (f"{CORE}/inference/posterior.py", 'prior - grid.known', 'prior + grid.known', 'tests/core/inference'),
    (f"{CORE}/inference/posterior.py", 'out[j] = -float', 'out[j] = float', 'tests/core/fairness/test_prices.py'),
    (f"{CORE}/conditions/day.py", 'DAY: Final = Prior(0.012,', 'DAY: Final = Prior(0.036,', 'tests/core/fairness/test_prices.py'),
    (f"{CORE}/conditions/warm_up.py", 'mean=0.20,', 'mean=-0.20,', 'tests/core/fairness/test_prices.py'),
    # what is unknown, and whether the fit is believed
    (f"{CORE}/inference/plain_difference.py", 'unknown = left_over**2 * problem.prior_var * free', 'unknown = 0.0 * left_over', 'tests/core/inference/test_plain.py'),
    (f"{CORE}/inference/plain_difference.py", '+ uncorrected**2', '+ 0.0 * uncorrected**2', 'tests/core/inference/test_plain.py'),
    (f"{CORE}/inference/criticism.py", 'abs(self.nuisance_z) > NUISANCE_Z', 'abs(self.nuisance_z) < -NUISANCE_Z', 'tests/core/inference/test_plain.py'),
    (f"{CORE}/inference/criticism.py", 'self.misfit_z > MISFIT_Z', 'self.misfit_z > 100.0', 'tests/core/inference/test_plain.py'),
    (f"{CORE}/inference/solver.py", 'phi - reached >= ARMIJO', 'phi - reached <= ARMIJO', 'tests/core/inference/test_solver.py'),
    (f"{CORE}/conditions/air.py", 'if all(unknown):\n        out.append(', 'if not all(unknown):\n        out.append(', 'tests/core/test_unknown_is_unknown.py tests/core/test_regression.py'),
    (f"{CORE}/evidence/clock.py", 'if leg.configuration != before:', 'if False:', 'tests/core/fairness/test_records.py'),
    (f"{CORE}/evidence/readings.py", '-((2 * math.pi * scatter / step) ** 2)', '((2 * math.pi * scatter / step) ** 2)', 'tests/core/evidence/test_readings.py'),
    (f"{CORE}/evidence/readings.py", 'and not often', 'and often', 'tests/core/test_unknown_is_unknown.py tests/core/evidence/test_readings.py'),
    (f"{CORE}/evidence/hold_ups.py", 'throughout, 0.0, ALL_THE_WAY_SD * slower', 'throughout, 0.0, 0.0', 'tests/core/evidence/test_hold_ups.py'),
    (f"{CORE}/evidence/hold_ups.py", 'slower + stop', 'slower - stop', 'tests/core/evidence/test_hold_ups.py'),
    (f"{CORE}/inference/posterior.py", 'self.gram - (more / grown)', 'self.gram + (more / grown)', 'tests/core/inference/test_posterior.py'),
    (f"{CORE}/inference/posterior.py", '- 0.5 * np.log(grown) - self.log_det', '- self.log_det', 'tests/core/inference/test_posterior.py'),
    (f"{CORE}/inference/slower_legs.py", '-= off - mean[at_column]', '-= mean[at_column] - off', 'tests/core/inference/test_slower_legs.py'),
    (f"{CORE}/inference/slower_legs.py", 'np.log(share) + ', '', 'tests/core/inference/test_slower_legs.py'),
    (f"{CORE}/inference/size_evidence.py", '** 2 - 1.0', '** -2 - 1.0', 'tests/core/inference/test_report_quality.py'),
    (f"{CORE}/evidence/reported_wind.py", 't[seen] - np.array', 't[seen] + np.array', 'tests/core/evidence/test_reported_wind.py'),
    (f"{CORE}/evidence/reported_wind.py", 'AT_THE_ROAD, station_km', 'AT_THE_ROAD, 0.0 * station_km', 'tests/core/evidence/test_reported_wind.py'),
    (f"{CORE}/evidence/conditions.py", 'np.quantile(speeds, FREE_QUANTILE)', 'np.median(speeds)', 'tests/core/evidence/test_conditions.py'),
    (f"{CORE}/evidence/conditions.py", 'speed_off=off, slower_by=ways', 'speed_off=-off, slower_by=ways', 'tests/core/evidence/test_conditions.py'),
    (f"{CORE}/conditions/speed.py", 'on, c.speed_off, c.speed_sd', 'on, -c.speed_off, c.speed_sd', 'tests/core/inference/test_rows.py'),
    (f"{CORE}/conditions/direction.py", '(-1.0 if c.backwards else 1.0)', '(1.0 if c.backwards else 1.0)', 'tests/core/inference/test_rows.py'),
    (f"{CORE}/inference/rows.py", '1.0 - (v / c.speed_m_s) ** 2', '1.0 - (v / c.speed_m_s)', 'tests/core/inference/test_rows.py'),
    (f"{CORE}/evidence/hold_ups.py", 'max(stopped_s / LAPS_STOP_S, 1.0)', '1.0', 'tests/core/inference/test_rows.py tests/core/evidence tests/core/test_methods.py'),
    (f"{CORE}/inference/problem.py", 'steady = replace(steady, stops=', 'replace(steady, stops=', 'tests/core/inference/test_rows.py'),
    (f"{CORE}/model/energy.py", 'by[:, Parameter.GRADIENT] = p.total(', 'by[:, Parameter.GRADIENT] = -p.total(', 'tests/core/inference/test_rows.py tests/core/model/test_energy.py'),
    (f"{CORE}/conditions/climate.py", '((c.climate_k or 0.0) > 0 if noted else c.climate_k is None)', '((c.climate_k or 0.0) > 0)', 'tests/core/conditions/test_not_noted.py'),
    (f"{CORE}/conditions/climate.py", 'mean=1500.0', 'mean=-1500.0', 'tests/core/conditions/test_not_noted.py'),
    (f"{CORE}/conditions/warm_up.py", 'design.study.vehicle.energy == "electric":\n        return []\n    cold', 'design.study.vehicle.energy != "electric":\n        return []\n    cold', 'tests/core/conditions/test_not_noted.py'),
    (f"{CORE}/inference/unknowns.py", 'np.where(way, -place, place)', 'np.where(way, place, place)', 'tests/core/inference/test_rows.py'),
    (f"{CORE}/inference/rows.py", 'or not any(c.wind_known for c in conditions)', '', 'tests/core/inference/test_rows.py'),
    (f"{CORE}/inference/everyday.py", '** 2 + elsewhere)', '** 2)', 'tests/core/inference/test_everyday.py'),
    (f"{CORE}/model/road.py", 'if timed and held_up.any()', 'if held_up.any()', 'tests/core/model/test_road.py'),
    (f"{CORE}/result/margin.py", 'math.sqrt(whole**2 - others**2)', 'whole', 'tests/core/result/test_margin.py'),
    (f"{CORE}/result/standing.py", 'if method == "plain":', 'if False:', 'tests/core/result/test_standing.py'),
    (f"{CORE}/inference/everyday.py", 'back - 0.5', '0.0 * back', 'tests/core/inference/test_everyday.py'),
    (f"{CORE}/inference/everyday.py", 'KNEE_C: Final = Size(15.0,', 'KNEE_C: Final = Size(-40.0,', 'tests/core/inference/test_everyday.py'),
    (f"{CORE}/study/vehicle.py", 'ENGINE_NO_LOAD_W: Final = 8000.0', 'ENGINE_NO_LOAD_W: Final = 800.0', 'tests/core/test_reference_vehicle.py'),
    (f"{CORE}/inference/everyday.py", 'mean=-0.004', 'mean=0.004', 'tests/core/fairness/test_prices.py tests/core/inference/test_everyday.py'),
    (f"{CORE}/evidence/hold_ups.py", 'if stopped_s <= NOTABLE_STOP_S:', 'if stopped_s > NOTABLE_STOP_S:', 'tests/core/inference/test_rows.py tests/core/evidence tests/core/test_methods.py'),
    (f"{CORE}/result/verdict.py", 'low - open_charge_percent, high + open_charge_percent', 'low, high', 'tests/core/fairness tests/core/test_analysis.py'),
    (f"{CORE}/conditions/air.py", 'local[:, Parameter.TOTAL] += then - now', 'local[:, Parameter.TOTAL] += now - then', 'tests/core/result/test_corrections.py'),
    (f"{CORE}/intervals.py", '0.5 + confidence / 2.0', 'confidence', 'tests/core/fairness/test_prices.py'),
    (f"{CORE}/planning/load.py", "train = load.vehicle_kg + (on_board.counts or 0.0) + towed.counts", "train = load.vehicle_kg + (on_board.counts or 0.0)", "tests/core/planning/test_load.py"),
    # what comes from outside
    ("src/fairmargin/exchange/tables/frames.py", "if any(cell.strip() for cell in row[len(header) :]):", "if False:", "tests/exchange/files/test_strangers.py"),
    ("src/fairmargin/exchange/files/budget.py", "if size > limit:\n                        raise", "if False:\n                        raise", "tests/exchange/files/test_strangers.py"),
    ("src/fairmargin/exchange/files/plain.py", "return f\"'{text}\" if _FORMULA.match(text) else text", "return text", "tests/exchange/files/test_strangers.py"),
    # what it means
    (f"{CORE}/inference/prediction.py", "np.where(told, head, legs.from_north)", "np.where(told, -head, legs.from_north)", "tests/core/outcome/test_asking.py"),
    (f"{CORE}/inference/prediction.py", "every([a.climb_m_per_km / 1000.0 for a in asked])", "every([-a.climb_m_per_km / 1000.0 for a in asked])", "tests/core/outcome/test_asking.py"),
    (f"{CORE}/inference/prediction.py", "density = legs.density * (air.ZERO_C_K + legs.temperature_c) / (air.ZERO_C_K + temperature)", "density = legs.density", "tests/core/outcome/test_asking.py"),
    (f"{CORE}/inference/prediction.py", "priors.SPEED_AWAY.sd * away(math.log(a.speed_kmh), low, high)", "0.0 * away(math.log(a.speed_kmh), low, high)", "tests/core/outcome/test_asking.py"),
    (f"{CORE}/inference/prediction.py", "wet = np.array([1.0 + disturbance.road_share(a.road)", "wet = np.array([1.0 - disturbance.road_share(a.road)", "tests/core/outcome/test_asking.py"),
    (f"{CORE}/laws/charging.py", "capacity_kwh * (steady + falling)", "capacity_kwh * (steady - falling)", "tests/core/laws/test_charging.py"),
    (f"{CORE}/outcome/charging_stops.py", "np.maximum(over, 0.0) * trip.pause_min", "np.maximum(over + 1, 0.0) * trip.pause_min", "tests/core/outcome/test_trips.py"),
    (f"{CORE}/outcome/charging_stops.py", "reached = (arrive >= self.floors[k] - _JUST) & (self.levels >= dip - _JUST)", "reached = arrive >= self.floors[k] - _JUST", "tests/core/outcome/test_trips.py"),
    (f"{CORE}/outcome/charging_stops.py", "least = np.minimum.accumulate(backwards)", "least = backwards", "tests/core/outcome/test_trips.py"),
    (f"{CORE}/outcome/charging_stops.py", "trip.queue_chance * trip.queue_min) / 60.0", "trip.queue_min) / 60.0", "tests/core/outcome/test_trips.py"),
    (f"{CORE}/outcome/trips.py", "kwh = (leave - self.level) * way.capacity_kwh / efficiency(trip)", "kwh = (leave - self.level) * way.capacity_kwh", "tests/core/outcome/test_trips.py"),
    (f"{CORE}/outcome/trips.py", "head_wind_ms=-trip.head_wind_ms", "head_wind_ms=trip.head_wind_ms", "tests/core/outcome/test_trips.py"),
    (f"{CORE}/outcome/money.py", "elsewhere * wh_per_km / 1000.0 / DC_EFFICIENCY", "elsewhere * wh_per_km / 1000.0", "tests/core/outcome/test_money.py"),
    (f"{CORE}/outcome/money.py", "return round(-energy * percent / 100.0, 10)", "return round(energy * percent / 100.0, 10)", "tests/core/outcome/test_money.py"),
    (f"{CORE}/outcome/money.py", "if saving_per_year <= 0 or price * rate >= saving_per_year:", "if saving_per_year <= 0:", "tests/core/outcome/test_money.py"),
    (f"{CORE}/outcome/gauge.py", "gained = -gained", "gained = gained", "tests/core/outcome/test_gauge.py"),
    (f"{CORE}/outcome/gauge.py", "return self.promised_percent - self.found_percent", "return self.found_percent - self.promised_percent", "tests/core/outcome/test_gauge.py"),
    # several configurations, vehicles, sectors, claims
    (f"{CORE}/evidence/known.py", "level - known.wh_per_km, LEAST_LEFT", "level + known.wh_per_km, LEAST_LEFT", "tests/core/result/test_results.py"),
    (f"{CORE}/result/whole_route.py", "Group.SCATTER, Group.DISPLAY_STEP, Group.SPEED, Group.DIRECTION", "Group.SPEED, Group.DIRECTION", "tests/core/result/test_results.py"),
    (f"{CORE}/result/whole_route.py", "read_b = sum(k * c.trial_as_read", "read_b = sum(1.1 * k * c.trial_as_read", "tests/core/result/test_results.py"),
    (f"{CORE}/result/claims.py", "if high + c.open_charge_percent < near", "if high < near", "tests/core/result/test_results.py"),
    (f"{CORE}/result/claims.py", "if near <= low - c.open_charge_percent and high + c.open_charge_percent <= far:", "if low <= far and near <= high:", "tests/core/result/test_results.py"),
    (f"{CORE}/result/results.py", "math.sqrt(own + alike) / abs", "math.sqrt(own) / abs", "tests/core/result/test_results.py"),
    (f"{CORE}/result/results.py", "own = sum((1.0 - o.rounded_alike) * o.readings[0].sd_wh ** 2", "own = sum(o.readings[0].sd_wh ** 2", "tests/core/result/test_results.py"),
    (f"{CORE}/result/capacity.py", "math.hypot(math.sqrt(energy_var) / energy, math.sqrt(share_var) / share)", "math.sqrt(energy_var) / energy", "tests/core/result/test_results.py"),
    (f"{CORE}/evidence/climb.py", "math.sqrt(down_var + share**2 * up_var) / up", "math.sqrt(down_var) / up", "tests/core/evidence/test_climb.py"),
    (f"{CORE}/planning/best_window.py", "(_RANK[w.answer], w.burden, w.start)", "(w.start, _RANK[w.answer], w.burden)", "tests/core/planning/test_windows.py"),
    (f"{CORE}/units/typed.py", "base = unit_of(quantity, number.rest).to_base(number.value)", "base = unit_of(quantity, unit).to_base(number.value)", "tests/desktop/test_units_typed.py"),
    # across studies
    (f"{CORE}/memory/network.py", "full[i, place[same_name(f.baseline)]] -= 1.0", "full[i, place[same_name(f.baseline)]] -= 0.5", "tests/core/memory tests/test_cli_memory.py"),
    (f"{CORE}/memory/network.py", "columns.setdefault(key, np.zeros(len(own)))[i] += value * scale", "columns.setdefault(key, np.zeros(len(own)))[i] += abs(value) * scale", "tests/core/memory"),
    (f"{CORE}/memory/network.py", "scale = min(1.0, f.sd / size) if size > 0 else 0.0", "scale = 1.0", "tests/core/memory"),
    (f"{CORE}/memory/network.py", "bool(abs(middle[k]) > widest * sd[k])", "bool(abs(middle[k]) > 1.0 * sd[k])", "tests/core/memory tests/jobs/test_job23_which_of_five_covers.py"),
    (f"{CORE}/memory/network.py", "full[i, place[same_name(f.baseline)]] -= 1.0", "full[i, place[same_name(f.baseline)]] += 1.0", "tests/core/memory"),
    (f"{CORE}/memory/network.py", "cov[0, 0] + cov[1, 1] - 2 * sign * cov[0, 1]", "cov[0, 0] - 2 * sign * cov[0, 1]", "tests/core/memory"),
    (f"{CORE}/memory/network.py", 'kept = [f for f in own if f.verdict != UNFAIR and not', 'kept = [f for f in own if not', "tests/core/memory"),
    (f"{CORE}/memory/vehicle.py", "np.eye(len(at)) + t.learned.information * drift[at]", "np.eye(len(at))", "tests/core/memory"),
    (f"{CORE}/memory/vehicle.py", "sd=math.hypot(k.sd, rule.drift)", "sd=k.sd", "tests/core/memory"),
    (f"{CORE}/inference/learned.py", "from_zero + information @ offset", "from_zero - information @ offset", "tests/core/memory"),
    (f"{CORE}/inference/learned.py", "rest = e.base - own + e.block", "rest = e.base + e.block", "tests/core/memory"),
    (f"{CORE}/inference/unknowns.py", "value.mean - counted.get(u.name, 0.0)", "value.mean", "tests/core/memory"),
    (f"{CORE}/inference/unknowns.py", "value is not None and value.sd < u.prior_sd", "value is not None", "tests/core/memory"),
    (f"{CORE}/inference/posterior.py", "np.copysign(np.sqrt(own**2 + read), own)", "np.sqrt(own**2 + read)", "tests/core/memory"),
    (f"{CORE}/memory/practice.py", "2.0 / (1.0 - confidence) * missed", "1.0 / (1.0 - confidence) * missed", "tests/core/memory"),
    (f"{CORE}/memory/practice.py", "seen.setdefault(a.case, a)", "seen[a.case] = a", "tests/core/memory"),
    (f"{CORE}/memory/road.py", "float(leg.duration_s) - float(leg.stopped_s or 0.0)", "float(leg.duration_s)", "tests/core/memory"),
    (f"{BOOK}/freshen.py", "kept = [e for key, e in evidence.items() if key != study_id]", "kept = list(evidence.values())", "tests/logbook/test_arrange.py"),
    (f"{BOOK}/rows.py", "return memory if memory and check == check_of(memory) else \"\"", "return memory", "tests/logbook/test_arrange.py"),
    # what lived once
    (f"{CORE}/inference/levels.py", "Group.CALIBRATION: calibration_sd**2", "Group.CALIBRATION: 0.0 * calibration_sd", "tests/core/result/test_results.py"),
    (f"{CORE}/fairness/records.py", "len(far) != 1 or max(others) - min(others) > limit.NEAR_DAYS", "len(far) != 1", "tests/core/fairness/test_records.py"),
    (f"{CORE}/conditions/instruments.py", "AGREE_DEVIATES * math.hypot(best.relative_sd, other.relative_sd)", "AGREE_DEVIATES * (best.relative_sd + other.relative_sd)", "tests/core/fairness/test_fairness.py"),
    (f"{CORE}/result/whole_route.py", "speed_kmh=sum(k for k in km) / sum(k / c.speed_kmh for k, c in zip(km, own, strict=True))", "speed_kmh=sum(k * c.speed_kmh for k, c in zip(km, own, strict=True)) / sum(km)", "tests/core/result/test_results.py"),
    (f"{CORE}/planning/best_window.py", "wind + 0.5 * gusts", "wind - 0.5 * gusts", "tests/core/planning/test_windows.py"),
    (f"{CORE}/memory/road.py", "SMOOTH_M: Final = 300.0", "SMOOTH_M: Final = 50.0", "tests/core/memory/test_road.py"),
    ("src/fairmargin/exchange/meteorology/reports.py", '"KMH": 1 / 3.6', '"KMH": 1.0', "tests/exchange/reports/test_plan_files.py"),
    ("src/fairmargin/exchange/meteorology/forecasts.py", '(20.0 if "%" in plain else 0.0)', "0.0", "tests/core/planning/test_windows.py"),
    ("src/fairmargin/desktop/widgets/marginbar.py", "QRectF(x(-smallest), 44, x(smallest) - x(-smallest), LINE - 44)", "QRectF(x(-2 * smallest), 44, x(2 * smallest) - x(-2 * smallest), LINE - 44)", "tests/desktop/test_widgets.py"),
    ("src/fairmargin/desktop/state/session.py", 'self.settings.setValue("recent", recent[:8])', 'self.settings.setValue("recent", recent[:1])', "tests/desktop/test_home.py"),
    # one condition, one room
    (f"{CORE}/conditions/registry.py", "for c in _conditions for u in c.unknowns(design)", "for c in _conditions[:5] for u in c.unknowns(design)", "tests/core/conditions"),
    (f"{CORE}/conditions/registry.py", "key=lambda line: line.place", "key=lambda line: -line.place", "tests/core/result/test_corrections.py tests/core/test_regression.py"),
    (f"{CORE}/inference/problem.py", "u.group == source for u in", "u.group != source for u in", "tests/core/conditions/test_a_new_condition.py"),
    (f"{CORE}/kinds/every.py", "wear=lambda x: Worn(mass_share=x)", "wear=lambda x: Worn()", "tests/core/kinds"),
    ("src/fairmargin/exchange/logs/formats.py", "next((one for one in _formats if one.begins(head)), None)", "_formats[0]", "tests/exchange/logs tests/exchange/files"),
    ("src/fairmargin/exchange/tables/reader.py", 'cell.replace(",", ".") if self.decimal_comma else cell', "cell", "tests/exchange"),
    ("src/fairmargin/library.py", "{**own.traces, **(traces or {})}", "dict(traces or {})", "tests/test_library.py"),
)  # fmt: skip


def lives(file: str, old: str, new: str, tests: str) -> bool:
    """Whether the tests pass with the mutant in place."""
    with tempfile.TemporaryDirectory() as folder:
        tree = Path(folder)
        for name in ("src", "tests", "benchmarks", "docs", "pyproject.toml"):
            source = ROOT / name
            if source.is_dir():
                shutil.copytree(source, tree / name, ignore=shutil.ignore_patterns("__pycache__"))
            else:
                shutil.copy(source, tree / name)
        target = tree / file
        text = target.read_text(encoding="utf-8")
        target.write_text(text.replace(old, new), encoding="utf-8")
        done = subprocess.run(
            [sys.executable, "-m", "pytest", "-q", "-x", "-p", "no:cacheprovider", *tests.split()],
            cwd=tree,
            env={"PATH": "/usr/bin:/bin", "PYTHONPATH": f"{tree / 'src'}:{tree}", "QT_QPA_PLATFORM": "offscreen"},
            capture_output=True,
            check=False,
        )
        return done.returncode == 0


DRAWN, MADE = 40, 10
#: Folders of the core from whose code mutants are made, and the tests that have to notice them.
MADE_OF = (
    "laws",
    "conditions",
    "model",
    "evidence",
    "inference",
    "result",
    "fairness",
    "memory",
    "outcome",
    "planning",
)
SWAPS = {
    ast.Add: "-",
    ast.Sub: "+",
    ast.Mult: "/",
    ast.Div: "*",
    ast.Lt: ">=",
    ast.Gt: "<=",
    ast.LtE: ">",
    ast.GtE: "<",
}
SIGNS = {
    ast.Add: "+",
    ast.Sub: "-",
    ast.Mult: "*",
    ast.Div: "/",
    ast.Lt: "<",
    ast.Gt: ">",
    ast.LtE: "<=",
    ast.GtE: ">=",
}


def made(rng: random.Random) -> tuple[str, str, str, str]:
    """A mutant that nobody wrote down: another sign somewhere in the core's code."""
    while True:
        folder = rng.choice(MADE_OF)
        path = rng.choice(sorted((ROOT / CORE / folder).glob("*.py")))
        text = path.read_text(encoding="utf-8")
        nodes = [n for n in ast.walk(ast.parse(text)) if isinstance(n, ast.BinOp | ast.Compare)]
        rng.shuffle(nodes)
        for node in nodes:
            op = node.op if isinstance(node, ast.BinOp) else node.ops[0]
            left, right = (node.left, node.right) if isinstance(node, ast.BinOp) else (node.left, node.comparators[0])
            whole = ast.get_source_segment(text, node) or ""
            first, second = (ast.get_source_segment(text, x) or "" for x in (left, right))
            old = f"{first} {SIGNS.get(type(op), '?')} {second}"
            if old in whole and text.count(whole) == 1 and "\n" not in whole and len(whole) > 8 and '"' not in whole:
                new = whole.replace(old, f"{first} {SWAPS[type(op)]} {second}")
                return str(path.relative_to(ROOT)), whole, new, f"tests/core/{folder} tests/core tests/jobs"


def main() -> None:
    """Try every mutant and list the survivors."""
    lost = [m for m in MUTANTS if (ROOT / m[0]).read_text(encoding="utf-8").count(m[1]) != 1]
    if lost:
        raise SystemExit("\n".join(f"{m[0]}: {m[1]!r} does not stand there once" for m in lost))
    seed = int(os.environ.get("SEED") or random.SystemRandom().randrange(10**6))
    rng = random.Random(seed)
    every = bool(os.environ.get("ALL"))
    chosen = list(MUTANTS) if every else rng.sample(MUTANTS, DRAWN)
    chosen += [made(rng) for _ in range(0 if every else int(os.environ.get("MADE") or MADE))]
    print(f"seed {seed}: {len(chosen)} mutants", flush=True)
    for tests in dict.fromkeys(m[3] for m in chosen):  # a test that fails without a mutant kills nothing
        if not lives(MUTANTS[0][0], MUTANTS[0][1], MUTANTS[0][1], tests):
            raise SystemExit(f"{tests}: fails without any mutant")
    alive = []
    for mutant in chosen:
        survived = lives(*mutant)
        print("LIVES " if survived else "killed", mutant[0], "|", mutant[1].splitlines()[0][:90], flush=True)
        if survived:
            alive.append(mutant)
    print(f"{len(chosen) - len(alive)} of {len(chosen)} killed")
    sys.exit(bool(alive))


if __name__ == "__main__":
    main()
