"""What a repair costs the customer and the shop: prices, routes beside each other, their chances."""
