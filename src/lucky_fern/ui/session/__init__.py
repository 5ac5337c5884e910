"""The project being worked on, the selection, what is looked at, errands, compositing. No widgets."""
