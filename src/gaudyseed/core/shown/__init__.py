"""What the view shows of a scene: lanes as they are sent, tables, finishes, shapes, pictures and previews."""
