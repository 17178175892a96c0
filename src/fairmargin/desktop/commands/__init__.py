"""What the menus do: bring in, package, report, logbooks, the list of studies."""
