"""Base of tests that write files: a folder of their own, and disks that are soon full."""

import os
import subprocess
import tempfile
import unittest
from pathlib import Path


def small_disk(case: unittest.TestCase, folder: Path, size: str) -> Path:
    """A tmpfs of a size like 64k, mounted for one test; the test is skipped where that is not allowed."""
    disk = folder / "disk"
    disk.mkdir()
    mount = ["mount", "-t", "tmpfs", "-o", f"size={size}", "none", disk]
    if os.geteuid() or subprocess.run(mount, capture_output=True).returncode:
        case.skipTest("mounting a small tmpfs is not allowed here")
    case.addCleanup(subprocess.run, ["umount", disk])
    return disk


class FolderCase(unittest.TestCase):
    """`self.folder`: an empty folder that goes with the test."""

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
