"""From evidence to effects: priors, the fit, its posterior; the regression of everyday logs."""
