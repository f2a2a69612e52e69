"""Money, geometry and the like: mathematics that knows nothing of the business."""
