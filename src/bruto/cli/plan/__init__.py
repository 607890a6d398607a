"""`bruto plan …`: the arithmetic before the shot, each answer in values that a phone offers."""

from bruto.cli.plan import lens, light, sky, wishes  # noqa: F401  each adds its commands
