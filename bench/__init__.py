"""What is measured. Run with `./mavrik bench`; figures and the machine go to docs/performance.md with --write."""
