"""The UV layout: measured, checked, and told in plain sentences."""
