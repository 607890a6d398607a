"""`bruto plan …`: the arithmetic before the shot, each answer in values that a phone offers.

Every module here adds its commands.
"""

from importlib import import_module
from pkgutil import iter_modules

for _found in iter_modules(__path__):
    import_module(f"{__name__}.{_found.name}")
