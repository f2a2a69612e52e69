"""The invented shop: Lindqvay Screens in Port Averil, its people, customers, parts and jobs in every stage.

Everything is made by calling the same services a person uses, with a fixed seed and a clock relative to now.
"""

from sutura.demo.filling import age_days, fill, is_empty

__all__ = ["age_days", "fill", "is_empty"]
