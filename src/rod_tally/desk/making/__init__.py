"""Pages that make parts or whole models: from drawings and from parameters."""
