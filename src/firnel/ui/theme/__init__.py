"""The look: colours, sizes and type by role, the style sheet and the icons that take them."""
