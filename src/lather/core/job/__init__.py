"""The document: Job → Stage → Layer → Edit, all frozen; commands; history; archive; journal."""
