"""Every figure opens its own sum."""
