"""The process that executes runs: says what it can do, asks the service for work, reports what happens."""
