"""What axe finds on a page as it stands: rules of WCAG 2.2 AA, and of good practice."""

from pathlib import Path

from playwright.sync_api import Page

AXE = Path(__file__).resolve().parent.parent.parent / "web" / "node_modules" / "axe-core" / "axe.min.js"
RULES = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"]
#: For pages as they stand; a menu or a dialog lies outside their landmarks.
MORE_RULES = [*RULES, "best-practice"]


def violations(page: Page, rules: list[str]) -> list[str]:
    """Each with the beginning of the first part of the page that breaks it; the page must bypass its CSP."""
    # What still fades in has no contrast yet.
    ending = "document.getAnimations().filter((one) => one.effect?.getTiming().iterations !== Infinity)"
    page.evaluate(f"Promise.all({ending}.map((one) => one.finished.catch(() => null)))")
    page.evaluate(AXE.read_text())
    found = page.evaluate("(values) => axe.run(document, { runOnly: { type: 'tag', values } })", rules)
    return [f"{one['id']}: {one['nodes'][0]['html'][:120]}" for one in found["violations"]]
