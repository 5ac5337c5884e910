"""The made-up river town of Otterwick: sample models, pictures and projects, made by script."""
