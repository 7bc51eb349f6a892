"""All Even: a mixing bench for one person and one folder of recorded tracks."""
