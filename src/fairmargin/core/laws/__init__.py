"""The rules of the trade: each one short pure function, units in the names, its source beside it.

Every rule stands here once. The fit, the companion on the road, the designs, the concerns and the sliders all call it.
A rule that the fit has to differentiate returns its derivative with its value (see `factor.Factor`).
"""
