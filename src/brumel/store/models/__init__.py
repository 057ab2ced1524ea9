"""The typed models. The migrations are the truth of the schema; a test holds the two together.

Three classes of table: *reference* (people, probes, lots, sites, devices) may be changed; *facts* are
only ever added to, by triggers and by what the application's role may do; *operational* tables hold
what comes and goes (live samples, what is expected of a site now).
"""
