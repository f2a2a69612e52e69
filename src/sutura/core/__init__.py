"""The shop's rules and computation: frozen values in, values or a Refusal out. No clock, no database, no
pages.
"""
