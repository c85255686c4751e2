import { tinykeys } from 'tinykeys'

const TYPING = 'input:not([type="checkbox"]), textarea, select, [contenteditable], [role="dialog"], [role="alertdialog"], [role="menu"]'
const PRESSED = 'button, input[type="checkbox"], a[href], summary, [role="button"]'
const STEPPED = '[role="radiogroup"], [role="tablist"], [role="slider"], [role="listbox"]'

// Not `:focus-visible`: a key that is pressed after a click makes the browser show the focus there, too.
let [byTab, reached] = [false, false]
window.addEventListener('pointerdown', () => ([byTab, reached] = [false, false]), true)
window.addEventListener('keydown', (event) => (byTab ||= event.key === 'Tab'), true)
window.addEventListener('focusin', () => (reached = byTab), true)

/** Whether what has the focus was reached by the Tab key, and not by a click. */
export const reachedByTab = (): boolean => reached

/** Whether a key belongs to what has the focus: what was clicked leaves its keys to the page. */
function belongsTo(target: HTMLElement | null, key: string): boolean {
  if (!target) return false
  if (target.closest(TYPING)) return true
  if (!reached) return false
  if (key === ' ' || key === 'Enter') return target.closest(PRESSED) !== null
  return key.startsWith('Arrow') && target.closest(STEPPED) !== null
}

/** Listen for keys on the page, but not those that belong to what has the focus; returns the way to stop. */
export function onKeys(bindings: Record<string, (event: KeyboardEvent) => void>): () => void {
  const guarded = Object.fromEntries(
    Object.entries(bindings).map(([keys, act]) => [
      keys,
      (event: KeyboardEvent) => {
        if (belongsTo(event.target as HTMLElement | null, event.key)) return
        event.preventDefault()
        act(event)
      },
    ]),
  )
  return tinykeys(window, guarded)
}
