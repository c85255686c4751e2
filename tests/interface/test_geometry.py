"""The interface's pure modules, evaluated in the page."""

import subprocess
import tempfile
import unittest
from pathlib import Path

from scripts.browser import chromium, new_page

WEB = Path(__file__).resolve().parent.parent.parent / "web"
MODULES = ["features/bench/geometry/viewport", "features/bench/geometry/timeMap", "ui/times"]


class GeometryTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))
        files = [f"src/{module}.ts" for module in MODULES]
        options = [
            "--outDir",
            str(folder),
            "--rootDir",
            "src",
            "--module",
            "es2022",
            "--target",
            "es2022",
            "--skipLibCheck",
        ]
        compiler = WEB / "node_modules" / ".bin" / "tsc"
        subprocess.run([str(compiler), *options, *files], cwd=WEB, check=False, capture_output=True)
        cls.sources = {module.rsplit("/", 1)[-1]: (folder / f"{module}.js").read_text() for module in MODULES}
        cls.page = new_page(cls.enterClassContext(chromium()))
        cls.page.evaluate(
            """async (sources) => {
              window.mods = {}
              for (const [name, text] of Object.entries(sources))
                window.mods[name] = await import('data:text/javascript,' + encodeURIComponent(text))
            }""",
            cls.sources,
        )

    def run_js(self, expression: str, **values: object):
        names = ", ".join(values)
        body = f"const {{ viewport, timeMap, times }} = window.mods; return {expression}"
        return self.page.evaluate(f"({{{names}}}) => {{ {body} }}", values)

    def test_a_scale_has_its_inverse(self):
        view = {"startS": -3.25, "secondsPerPx": 0.0123}
        for x in (0, 17.5, 960):
            self.assertAlmostEqual(
                self.run_js("viewport.xOf(view, viewport.timeAt(view, x))", view=view, x=x), x, delta=1e-9
            )

    def test_zooming_keeps_the_time_under_the_pointer(self):
        view = {"startS": 10, "secondsPerPx": 0.1}
        for factor in (0.5, 1.7):
            zoomed = self.run_js("viewport.zoomed(view, 300, factor, 1)", view=view, factor=factor)
            self.assertAlmostEqual(self.run_js("viewport.timeAt(view, 300)", view=zoomed), 40.0, delta=1e-9)

    def test_zoom_has_limits(self):
        view = {"startS": 0, "secondsPerPx": 0.1}
        self.assertEqual(self.run_js("viewport.zoomed(view, 0, 1e9, 0.25).secondsPerPx", view=view), 0.25)
        self.assertGreater(self.run_js("viewport.zoomed(view, 0, 1e-12, 1).secondsPerPx", view=view), 0)

    def test_ticks_are_round_and_inside(self):
        found = self.run_js("viewport.ticks({ startS: 3.2, secondsPerPx: 0.05 }, 900)")
        self.assertEqual(found["stepS"], 10)
        self.assertEqual(found["timesS"], [10, 20, 30, 40])

    def test_maps_are_followed_through_pieces_and_gaps(self):
        pieces = [[[0, 0], [10, 10.001]], [[12, 10.001], [20, 18]]]
        at = [self.run_js("timeMap.toRecording(pieces, t)", pieces=pieces, t=t) for t in (-1, 5, 11, 12, 20, 21)]
        self.assertEqual([at[0], at[2], at[5]], [None, None, None])
        self.assertAlmostEqual(at[1], 5.0005, delta=1e-9)
        self.assertEqual([at[3], at[4]], [10.001, 18])

    def test_shifting_moves_reference_times_only(self):
        self.assertEqual(self.run_js("timeMap.shifted([[[1, 0], [2, 1]]], 0.5)"), [[[1.5, 0], [2.5, 1]]])

    def test_times_are_written_for_people(self):
        for expression, text in [
            ("times.clock(3723.45, 1)", "1:02:03.5"),
            ("times.clock(59.96, 1)", "1:00.0"),
            ("times.clock(-6.218, 3)", "−0:06.218"),
            ("times.timecode(3661.52, 25)", "01:01:01:13"),
            ("times.timecode(0.99999999, 25)", "00:00:01:00"),
            ("times.signed(-0.0004, 3)", "0.000"),
            ("times.signed(-38.06, 1)", "−38.1"),
        ]:
            with self.subTest(expression=expression):
                self.assertEqual(self.run_js(expression), text)
