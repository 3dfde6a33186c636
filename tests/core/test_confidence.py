"""What a find's confidence means: a chance that rises with what the finder says, and from where a find is sure."""

import unittest

import numpy as np

from lather.core.find import confidence
from lather.core.find.confidence import calibrated
from lather.core.job.finds import LISTED_FROM, SURE_FROM, Find
from lather.core.kinds.registry import KINDS
from lather.core.strict_json import read


def find(kind: str, said: float) -> Find:
    return Find(f"{kind}-1-1", kind, 1, 1, 8, 5, said)


class CalibratedTest(unittest.TestCase):
    def test_tables_rise_and_are_chances(self):
        tables = read(confidence.FILE)
        self.assertGreater(len(tables), 5)
        for kind, table in tables.items():
            self.assertIn(kind, KINDS)
            said, right = np.array(table["said"]), np.array(table["right"])
            self.assertEqual((said[0], said[-1]), (0.0, 1.0))
            self.assertTrue((np.diff(said) > 0).all() and (np.diff(right) >= 0).all(), kind)
            self.assertTrue(((right >= 0) & (right < 1)).all(), kind)

    def test_more_said_is_never_less_likely(self):
        for kind in read(confidence.FILE):
            told = [calibrated(find(kind, said)).confidence for said in np.linspace(0, 1, 21)]
            self.assertTrue((np.diff(told) >= 0).all(), kind)

    def test_a_kind_that_was_never_measured_stays_as_it_is_said(self):
        self.assertEqual(calibrated(find("drawn_mark", 0.77)).confidence, 0.77)

    def test_sure_and_listed(self):
        self.assertTrue(find("mole", SURE_FROM).sure and find("mole", LISTED_FROM).listed)
        self.assertFalse(find("mole", SURE_FROM - 0.01).sure or find("mole", LISTED_FROM - 0.01).listed)
        self.assertTrue(find("mole", 0.95).to_json()["sure"])
        again = Find.from_json(find("mole", 0.95).to_json() | {"sure": False})
        self.assertTrue(again.sure and not again.extra)


if __name__ == "__main__":
    unittest.main()
