"""Who builds what, where and when: the jobs of a workshop over its bays, people, hours and shared tools."""
