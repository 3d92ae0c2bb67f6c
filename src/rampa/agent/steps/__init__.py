"""The built-in steps, one function each: it takes the attempt and its step, and raises `StepFailed` with a cause."""
