"""Widgets that several screens use: none knows a job."""
