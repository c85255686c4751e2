/**
 * Keeps the focus where the hand was: a browser drops it to the page when what had it goes away or is disabled, and
 * whoever works with the keyboard begins at the top again. It goes to what took the place, else to what is nearest.
 */

const FOCUSABLE = 'a[href], button:not(:disabled), input:not(:disabled), select:not(:disabled), textarea:not(:disabled), [tabindex="0"]'

let last: { element: Element; above: Element[]; at: number } | null = null

const focusableIn = (root: Element): HTMLElement[] =>
  [...root.querySelectorAll<HTMLElement>(FOCUSABLE)].filter((one) => one.offsetParent !== null && one.tabIndex >= 0)

function remember(element: Element): void {
  const above: Element[] = []
  for (let one = element.parentElement; one && one !== document.body; one = one.parentElement) above.push(one)
  const row = element.closest('[data-row]')
  const rows = row ? [...document.querySelectorAll('[data-row]')] : []
  last = { element, above, at: row ? rows.indexOf(row) : -1 }
}

function restore(): void {
  if (!last || document.activeElement !== document.body) return
  const { element, above, at } = last
  if (element.isConnected && !(element as HTMLButtonElement).disabled) return
  // Of a row that is gone: the same thing in the row that is there now.
  const rows = [...document.querySelectorAll('[data-row]')]
  const row = at >= 0 && !above.some((one) => one.isConnected && one.matches('[data-row]')) ? (rows[at] ?? rows[at - 1]) : undefined
  for (const place of [row, ...above.filter((one) => one.isConnected && one.matches('main *'))]) {
    const found = place && focusableIn(place)[0]
    if (found) {
      found.focus({ preventScroll: true })
      return
    }
  }
  // Another page: its name is read, and Tab goes on from its top.
  const main = document.querySelector('main')
  if (main) {
    main.tabIndex = -1
    main.focus({ preventScroll: true })
  }
}

/** Watch the page from now on. */
export function keepFocus(): void {
  document.addEventListener('focusin', (event) => event.target instanceof Element && remember(event.target))
  // A click beside everything is meant.
  document.addEventListener('pointerdown', () => (last = null), true)
  let queued = false
  const look = (): void => {
    queued = false
    restore()
  }
  new MutationObserver(() => {
    if (queued) return
    queued = true
    // What is disabled loses the focus only when the page is drawn anew.
    requestAnimationFrame(() => window.setTimeout(look))
  }).observe(document.body, {
    childList: true,
    subtree: true,
    attributes: true,
    attributeFilter: ['disabled'],
  })
}
