"""The site of the documents: python -m sphinx -W docs build/site (the extra `docs`)."""

project = "Unified Shell"
copyright = "The Unified Shell team"  # noqa: A001 - the generator's own name
extensions = ["myst_parser"]
source_suffix = {".md": "markdown"}
exclude_patterns = ["screenshots"]
html_theme = "alabaster"
html_theme_options = {"description": "Sets up a research machine and verifies that it works", "page_width": "70rem"}
# Links to files of the package are for readers of the repository.
suppress_warnings = ["myst.xref_missing"]
