"""A picture of the desk with ten stages, before they are all there: python -m tests.support.ten_stages_picture FILE."""

import os
import sys
import tempfile
import unittest

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")


def main(path: str) -> None:
    from PyQt6.QtTest import QTest

    from lather.core.job.model import STAGE_IDS
    from lather.core.practice.demo import make_demo
    from lather.core.stages.info import StageInfo
    from lather.core.stages.registry import STAGES
    from lather.desktop.app import make_application
    from lather.desktop.driving import drag, wait_for
    from lather.desktop.window import MainWindow
    from tests.support.toys import BRIGHTEN, MASK, BrightenKind, TintKind, with_toys

    case = unittest.TestCase()
    there, adjusting = {info.id for info in STAGES}, ("colour", "crisp", "finish")

    def info(stage_id: str) -> StageInfo:
        kind, tool = (TintKind, MASK) if stage_id in adjusting else (BrightenKind, BRIGHTEN)
        return StageInfo(stage_id, stage_id.capitalize(), kind, "Layer", (tool.id, "give_back"))

    with_toys(case, *(info(stage_id) for stage_id in STAGE_IDS if stage_id not in there))
    make_application()
    window = MainWindow()
    window.resize(1280, 800)
    window.show()
    window._take(make_demo())
    window.notice.clear()
    desk = window.screens["desk"]
    wait_for(lambda: desk.idle() and desk.canvas.ready(), 60)
    desk.canvas.centre_on(960, 1180, 0.8)
    for key, way in (("4", [(800, 1150), (900, 1180)]), ("6", [(1000, 1300), (1080, 1310)])):
        QTest.keyClick(desk.canvas, key)
        wait_for(desk.canvas.ready)
        drag(desk.canvas, way)
        wait_for(lambda: desk.idle() and desk.canvas.ready(), 30)
    window.grab().save(path)
    window._close_job()
    case.doCleanups()


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as home:
        os.environ |= {"XDG_STATE_HOME": home, "XDG_CONFIG_HOME": home}
        main(sys.argv[1])
