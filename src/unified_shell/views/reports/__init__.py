"""Documents beside what is printed: a page, plots, JUnit XML, what changed since."""
