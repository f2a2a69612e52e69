"""One function for each thing a person does: open the transaction, load under a lock, let core decide,
save.
"""
