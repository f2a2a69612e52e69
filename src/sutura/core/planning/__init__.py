"""What is done when, and by whom: the queue as it stands, the day that is planned, and how sure it is."""
