import unittest

from gullywind.actions.deliver.report import report_csv
from gullywind.actions.projects.change_projects import clean_name
from gullywind.actions.projects.change_recordings import base_name
from gullywind.actions.words import unsure_sentence
from gullywind.core.ground.errors import InputError
from gullywind.core.ground.words import clock_time, percent, short_time
from gullywind.formats.file_names import file_stem


class NamesTest(unittest.TestCase):
    def test_paths_that_browsers_send_become_names(self):
        for sent, name in [
            ("../../etc/passwd", "passwd"),
            ("C:\\takes\\one.wav", "one.wav"),
            ("-x.wav", "-x.wav"),
            ("Émile – 1.wav", "Émile – 1.wav"),
            ("a\x00b\n.wav", "ab.wav"),
            ("..", "recording"),
            ("/", "recording"),
        ]:
            with self.subTest(sent=sent):
                self.assertEqual(base_name(sent), name)

    def test_names_as_file_names(self):
        self.assertEqual(file_stem('Phone 2: "back/row"?'), "Phone 2_ _back_row__")
        self.assertEqual(file_stem(" ... "), "recording")

    def test_empty_names_are_refused(self):
        with self.assertRaisesRegex(InputError, "visible character"):
            clean_name("\t\n ")
        self.assertEqual(len(clean_name("x" * 900)), 200)

    def test_numbers_in_words(self):
        self.assertEqual([percent(1.0), percent(0.987)], ["over\u00a099.9", "98.7"])
        self.assertEqual(
            [short_time(t) for t in (0.00001, 0.0004, 0.0123, 4.5)], ["< 0.1 µs", "0.4 µs", "0.01 ms", "4.50 ms"]
        )
        self.assertEqual(
            [clock_time(t) for t in (0, 118.33, 3725.06, -6.2)], ["0:00.0", "1:58.3", "1:02:05.1", "-0:06.2"]
        )

    def test_unsure_places_are_told(self):
        one = {"offset_s": 24.0, "rate": 1.0, "score": 0.9}
        places = [one, one | {"offset_s": 1858.2, "score": 0.8}, one | {"offset_s": -4.0, "score": 0.1}]
        self.assertEqual(
            unsure_sentence(places, 0.5), "2 places fit: 0:24.0 (0.90), 30:58.2 (0.80). Hear them and choose."
        )
        self.assertIn("and more", unsure_sentence([one] * 4, 0.5))
        self.assertEqual(unsure_sentence(places[:1], 0.4), "Perhaps at 0:24.0 (0.90), only 40.0 % sure: hear it.")

    def test_csv_of_nothing_has_a_header(self):
        self.assertTrue(report_csv([]).startswith("name,file,status,offset_s"))
