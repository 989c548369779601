"""The harbour office of Brannock Sound: made-up data, drawn as the pages of the demo docket."""
