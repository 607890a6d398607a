"""How the API pages are built from the docstrings: `./run docs`."""

project = "Bruto"
root_doc = "modules"
extensions = ["sphinx.ext.autodoc", "numpydoc"]
numpydoc_show_class_members = False
autodoc_default_options = {"members": True, "show-inheritance": False}
autodoc_typehints = "signature"
autodoc_mock_imports = ["PySide6"]
html_theme = "alabaster"
html_title = "Bruto, the core"
exclude_patterns = ["html"]
nitpicky = False
suppress_warnings = ["ref.*", "docutils", "autodoc"]
