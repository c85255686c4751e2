import { create } from 'zustand'

const KEY = 'gullywind-dark'

/** Light or dark, remembered; the class on the page switches every token. */
export const useDark = create<{ dark: boolean; toggle: () => void }>((set, get) => {
  const dark = localStorage.getItem(KEY) === 'yes'
  document.documentElement.classList.toggle('dark', dark)
  return {
    dark,
    toggle: () => {
      const next = !get().dark
      localStorage.setItem(KEY, next ? 'yes' : 'no')
      document.documentElement.classList.toggle('dark', next)
      set({ dark: next })
    },
  }
})
