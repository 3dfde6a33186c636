"""What `pyproject.toml` cannot say: the handbook goes along as a package, the desktop's files beside it."""

from setuptools import find_packages, setup

_ENTRY, _ICONS = "src/lather/desktop/entry", "src/lather/desktop/theme/icons"

setup(
    packages=[*find_packages("src"), "lather.handbook"],
    package_dir={"": "src", "lather.handbook": "docs/handbook"},
    package_data={
        "lather": ["py.typed", "core/data/**/*", "desktop/theme/icons/*.svg", "desktop/entry/*"],
        "lather.handbook": ["*.md", "contents.txt", "pictures/*"],
    },
    data_files=[  # found by the desktop where the environment is the system's or the person's own
        ("share/applications", [f"{_ENTRY}/lather.desktop"]),
        ("share/mime/packages", [f"{_ENTRY}/lather-mime.xml"]),
        ("share/metainfo", [f"{_ENTRY}/org.lather.Lather.metainfo.xml"]),
        ("share/icons/hicolor/scalable/apps", [f"{_ICONS}/lather.svg"]),
    ],
)
