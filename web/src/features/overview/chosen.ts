import { create } from 'zustand'

/** Recordings that are chosen to be worked on together, and the one that was chosen last: a range goes on from it. */
interface Chosen {
  ids: ReadonlySet<string>
  lastId: string | null
}

const NONE: Chosen = { ids: new Set(), lastId: null }

export const useChosen = create<Chosen>(() => NONE)

export const clearChosen = (): void => useChosen.setState(NONE)

export const chooseThese = (ids: readonly string[]): void => useChosen.setState({ ids: new Set(ids), lastId: null })

/** Choose or let go of one; with `range` all between it and the last one, in the order in which they are shown. */
export function chooseOne(id: string, range: boolean, order: readonly string[]): void {
  useChosen.setState((chosen) => ({ ids: withOne(chosen, id, range, order), lastId: id }))
}

export function withOne({ ids, lastId }: Chosen, id: string, range: boolean, order: readonly string[]): ReadonlySet<string> {
  const next = new Set(ids)
  const [from, to] = [lastId === null ? -1 : order.indexOf(lastId), order.indexOf(id)]
  if (range && from >= 0 && to >= 0) {
    for (const one of order.slice(Math.min(from, to), Math.max(from, to) + 1)) next.add(one)
  } else if (!next.delete(id)) next.add(id)
  return next
}
