import { useMemo } from 'react'
import { NAMES, type Palette } from '../drawing/palette'
import { useDark } from './dark'

const palettes: Partial<Record<'light' | 'dark', Palette>> = {}

/** The colours of the theme for canvases: looked up once for light and once for dark, never while a frame is drawn. */
export function usePalette(): Palette {
  const dark = useDark((s) => s.dark)
  return useMemo(() => {
    const style = getComputedStyle(document.documentElement)
    return (palettes[dark ? 'dark' : 'light'] ??= Object.fromEntries(
      NAMES.map((name) => [name, style.getPropertyValue(`--${name}`).trim()]),
    ) as Palette)
  }, [dark])
}
