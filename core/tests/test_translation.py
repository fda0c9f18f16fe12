"""The cases worked out by hand (docs/calculation-rules.md), figure by figure."""
