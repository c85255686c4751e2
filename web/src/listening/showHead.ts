/**
 * Lays the playhead's line at a place of its window, px; hidden outside. Only on whole pixels of the screen, and only
 * where it is another one: of a whole event that is some a second, and no style is written at any other frame.
 */
export function showHead(line: HTMLElement, xPx: number, widthPx: number): void {
  const perPx = window.devicePixelRatio || 1
  const transform = `translateX(${Math.round(xPx * perPx) / perPx}px)`
  const visibility = xPx >= 0 && xPx <= widthPx ? 'visible' : 'hidden'
  if (line.style.visibility !== visibility) line.style.visibility = visibility
  if (visibility === 'visible' && line.style.transform !== transform) line.style.transform = transform
}
