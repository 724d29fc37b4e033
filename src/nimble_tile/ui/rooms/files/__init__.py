"""Pictures, projects and exports coming in and going out."""
