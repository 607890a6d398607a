"""A plan for a day and a night at the invented Orrin Saltern: the demo's, and a beginning to be changed."""

from __future__ import annotations

from bruto.plan.planned_shots import Plan, PlannedShot


def example() -> Plan:
    """Return the plan, whose shots the demo takes; what is not set in it is proposed where it is opened."""
    day = "2026-06-21T"
    return Plan(
        "Pans and pump, midsummer", "2026-06-21", 41.0, 8.5, 3.0, "CET", "Orrin Saltern", "Vessar", "Vessar Tide 4",
        (
            PlannedShot("Pans at noon", "other", day + "12:05", 50.0, 1 / 4000, 26.0, gear="grey card"),
            PlannedShot("Boiling house, window", "window", day + "13:20", 200.0, 1 / 20, 26.0, 3),
            PlannedShot("Sluice at dusk", "dusk", day + "21:30", 1600.0, 1 / 60, 26.0, 8),
            PlannedShot("Stars over the pump", "stars", day + "23:40", 1600.0, 15.0, 26.0, gear="tripod, clamp"),
            PlannedShot("Sky turning over the works", "trail", day + "23:50", 1600.0, 15.0, 26.0, 240, 16.0,
                 gear="tripod, power bank"),
        ),
        darkness=20.9, free_mb=48000.0,
    )  # fmt: skip
