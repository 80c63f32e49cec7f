"""Floor plans of levels: a picture from straight above, cut at a height, on a page to scale with what explains it."""
