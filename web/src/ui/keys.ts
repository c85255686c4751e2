import { tinykeys } from 'tinykeys'

/** Listen for keys on the page, but not while someone types or a dialog is open; returns the way to stop. */
export function onKeys(bindings: Record<string, (event: KeyboardEvent) => void>): () => void {
  const guarded = Object.fromEntries(
    Object.entries(bindings).map(([keys, act]) => [
      keys,
      (event: KeyboardEvent) => {
        const target = event.target as HTMLElement | null
        if (target?.closest('input, textarea, select, [contenteditable], [role="dialog"], [role="alertdialog"], [role="menu"]')) return
        // A focused button would be pressed by the space bar as well.
        event.preventDefault()
        act(event)
      },
    ]),
  )
  return tinykeys(window, guarded)
}
