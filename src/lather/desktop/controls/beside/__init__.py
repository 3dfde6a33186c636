"""What works beside the window while the job is open: measures, gauges, plan, clock."""
