import { createSystem, defaultConfig, defineConfig } from '@chakra-ui/react'

const palette = (name: string, onSolid = 'on-ink') => ({
  solid: { value: `var(--${name})` },
  contrast: { value: `var(--${onSolid})` },
  fg: { value: `var(--${name})` },
  muted: { value: 'var(--sunken)' },
  subtle: { value: 'var(--sunken)' },
  emphasized: { value: 'var(--line-strong)' },
  focusRing: { value: 'var(--slate)' },
  border: { value: 'var(--line-strong)' },
})

const config = defineConfig({
  globalCss: { html: { colorPalette: 'ink' } },
  theme: {
    tokens: {
      fonts: {
        body: { value: "'Source Sans 3', sans-serif" },
        heading: { value: "'Source Sans 3', sans-serif" },
        sentence: { value: "'Source Serif 4', serif" },
        mono: { value: "'Source Code Pro', monospace" },
      },
    },
    semanticTokens: {
      colors: {
        ink: palette('ink'),
        slate: palette('slate'),
        rust: palette('rust'),
        moss: palette('moss'),
        ochre: palette('ochre'),
        bg: {
          DEFAULT: { value: 'var(--paper)' },
          panel: { value: 'var(--sheet)' },
          subtle: { value: 'var(--sunken)' },
          muted: { value: 'var(--sunken)' },
        },
        fg: { DEFAULT: { value: 'var(--ink)' }, muted: { value: 'var(--ink-soft)' }, subtle: { value: 'var(--ink-soft)' } },
        border: { DEFAULT: { value: 'var(--line)' }, emphasized: { value: 'var(--line-strong)' } },
      },
    },
  },
})

export const system = createSystem(defaultConfig, config)
