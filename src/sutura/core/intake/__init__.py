"""Intake: what is wrong on arrival and what it tells, what works, what came along, what was agreed, what is
promised.
"""
