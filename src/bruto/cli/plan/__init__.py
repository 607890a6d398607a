"""`bruto plan …`: the arithmetic before the shot, each answer in values that a phone offers."""

from bruto.cli.plan import lens, light, planned_shots, sky  # noqa: F401  each adds its commands
