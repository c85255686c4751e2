import type { Recording } from '../../api/client'
import { needsPerson } from '../../api/order'

export type Show = 'all' | 'needs you' | 'placed' | 'waiting'

/** What is shown of the recordings: those whose name or note holds the typed text, of the chosen state. */
export interface Finding {
  text: string
  show: Show
}

export const EVERYTHING: Finding = { text: '', show: 'all' }

const OF_STATE: Record<Show, (one: Recording) => boolean> = {
  all: () => true,
  'needs you': needsPerson,
  placed: (one) => one.status === 'placed',
  waiting: (one) => one.status === 'waiting',
}

/** Every word that was typed is somewhere in the name or the note, in any order, small or capital. */
export function found(recordings: readonly Recording[], { text, show }: Finding): Recording[] {
  const words = text.toLowerCase().split(/\s+/).filter(Boolean)
  return recordings.filter((one) => OF_STATE[show](one) && words.every((word) => `${one.name} ${one.remark}`.toLowerCase().includes(word)))
}

export const counted = (recordings: readonly Recording[]): Record<Show, number> => ({
  all: recordings.length,
  'needs you': recordings.filter(OF_STATE['needs you']).length,
  placed: recordings.filter(OF_STATE.placed).length,
  waiting: recordings.filter(OF_STATE.waiting).length,
})
