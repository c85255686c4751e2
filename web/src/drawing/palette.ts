/** Names of the theme’s colours that canvases draw with. */
export const NAMES = [
  'ink',
  'ink-soft',
  'paper',
  'sheet',
  'sunken',
  'line',
  'line-strong',
  'slate',
  'slate-soft',
  'rust',
  'rust-soft',
  'moss',
  'ochre',
  'ochre-soft',
  'heard',
] as const
/** The theme’s colours by name, as they are now (light or dark). */
export type Palette = Readonly<Record<(typeof NAMES)[number], string>>
