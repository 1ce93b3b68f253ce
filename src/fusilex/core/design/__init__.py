"""The design: layers, pads, nets and parts, read and joined."""
