"""Every requirement of the sheet on an asset: rows, verdicts, remedies, waivers."""
