"""Demo drills, as data inside the package: a harbour at night."""
