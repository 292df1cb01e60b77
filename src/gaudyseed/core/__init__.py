"""The job itself: populations, looks, evaluation, formats.

Nothing in this package knows Flask, SQLAlchemy or any other package of the
product; a test holds that rule.
"""
