"""The interface's pure modules, evaluated in the page."""

import re
import subprocess
import tempfile
import unittest
from pathlib import Path
from urllib.parse import quote

import numpy as np

from scripts.browser import chromium, new_page

WEB = Path(__file__).resolve().parent.parent.parent / "web"
MODULES = [
    "time/viewport",
    "time/timeMap",
    "time/moves",
    "time/rate",
    "drawing/trace",
    "time/times",
]


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
        cls.sources = {}
        for module in MODULES:
            name, text = module.rsplit("/", 1)[-1], (folder / f"{module}.js").read_text()
            # A module from a data address finds no neighbours: those that came before are put in their place.
            for earlier, source in cls.sources.items():
                address = "data:text/javascript," + quote(source)
                text = re.sub(rf"from '\.[./a-z]*/{earlier}'", lambda _, to=address: f"from '{to}'", text)
            cls.sources[name] = text
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
        body = f"const {{ viewport, timeMap, moves, rate, trace, times }} = window.mods; return {expression}"
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

    def test_drags_are_drawn_as_the_server_will_answer(self):
        pieces = [[[10, 0], [50, 40]], [[52, 40], [90, 78]]]
        for move, expected in [
            ({"kind": "shift", "byS": 1.5}, [[[11.5, 0], [51.5, 40]], [[53.5, 40], [91.5, 78]]]),
            ({"kind": "slide", "index": 1, "byS": -1}, [[[10, 0], [50, 40]], [[51, 40], [89, 78]]]),
            ({"kind": "stretch", "holdS": 10, "atS": 30, "byS": 2}, [[[10, 0], [54, 40]], [[56.2, 40], [98, 78]]]),
            (
                {"kind": "trim", "index": 0, "edge": "start", "tRefS": 12},
                [[[12, 2], [50, 40]], [[52, 40], [90, 78]]],
            ),
            ({"kind": "trim", "index": 1, "edge": "end", "tRefS": 80}, [[[10, 0], [50, 40]], [[52, 40], [80, 68]]]),
        ]:
            with self.subTest(move=move):
                drawn = self.run_js("moves.moved(pieces, move)", pieces=pieces, move=move)
                for knots, wanted in zip(drawn, expected, strict=True):
                    np.testing.assert_allclose(knots, wanted, atol=1e-9)
        self.assertEqual(self.run_js("moves.moved(pieces, null)", pieces=pieces), pieces)

    def test_a_pointer_finds_the_piece_or_its_edge(self):
        pieces = [[[10, 0], [50, 40]], [[52, 40], [90, 78]]]
        for at, expected in [
            (30, {"index": 0, "edge": None}),
            (10.3, {"index": 0, "edge": "start"}),
            (9.8, {"index": 0, "edge": "start"}),
            (50.4, {"index": 0, "edge": "end"}),
            (51.8, {"index": 1, "edge": "start"}),
            (51, None),
            (95, None),
        ]:
            with self.subTest(at=at):
                self.assertEqual(self.run_js("moves.pieceAt(pieces, at, 0.5)", pieces=pieces, at=at), expected)

    def test_clocks_are_read_as_people_type_them(self):
        for text, expected in [
            ("38.1", 1.0000381),
            ("−2,5 ppm", 0.9999975),
            ("+12", 1.000012),
            ("24/25", 0.96),
            ("1000 : 1001", 1000 / 1001),
            ("95.9 %", 0.959),
            ("fast", None),
            ("1/0", None),
            ("", None),
        ]:
            with self.subTest(text=text):
                found = self.run_js("rate.rateFrom(text, 'ppm')", text=text)
                self.assertEqual(found is None, expected is None)
                if expected is not None:
                    self.assertAlmostEqual(found, expected, delta=1e-12)
        self.assertAlmostEqual(self.run_js("rate.rateFrom('96', '%')"), 0.96, delta=1e-12)
        self.assertAlmostEqual(self.run_js("rate.rateFrom('96 ppm', '%')"), 1.000096, delta=1e-12)

    def test_the_trace_scales_to_what_agrees(self):
        dots = [{"tRefS": i, "lagMs": 0.03, "quality": 20, "verdict": "agrees"} for i in range(9)]
        stray = {"tRefS": 9, "lagMs": 70, "quality": 9, "verdict": "differs"}
        flat = [[{"tRefS": 0, "ms": 0}]]
        self.assertEqual(self.run_js("trace.scaleFor(dots, lines)", dots=[*dots, stray], lines=flat), 0.05)
        self.assertEqual(self.run_js("trace.scaleFor(dots, lines)", dots=[stray] * 5, lines=flat), 100)
        step = [[{"tRefS": 0, "ms": 0}], [{"tRefS": 1, "ms": -1700}]]
        self.assertEqual(self.run_js("trace.scaleFor(dots, lines)", dots=dots, lines=step), 5000)
        self.assertAlmostEqual(self.run_js("trace.msAt(12, 124, 5)"), 5.0, delta=1e-9)

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
