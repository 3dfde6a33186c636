"""What the person chose, and what the desk remembers between starts."""

from lather.desktop.settings.display import DisplayProfile, display_profile
from lather.desktop.settings.folders import delivery_folder, new_job_file
from lather.desktop.settings.recent import file_of_job, recent_files, remember
from lather.desktop.settings.store import new_brief, set_value, value

__all__ = [
    "DisplayProfile", "delivery_folder", "display_profile", "file_of_job", "new_brief", "new_job_file", "recent_files",
    "remember", "set_value", "value",
]
