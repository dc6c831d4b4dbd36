"""Pictures of scenes and textures, drawn on the CPU."""
