"""The guide: pages in Markdown that go along with the program, some of them made from what it knows of itself."""
