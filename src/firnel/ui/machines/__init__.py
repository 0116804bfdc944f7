"""The machines view: the roasters, and their links."""
