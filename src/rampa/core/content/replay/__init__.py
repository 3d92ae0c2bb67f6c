"""What releases would have cost under other rules: packed again in thought, release by release, from the content that is kept."""
