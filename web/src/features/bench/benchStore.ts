import type { QueryClient } from '@tanstack/react-query'
import { createContext, useContext } from 'react'
import { createStore, useStore, type StoreApi } from 'zustand'
import { api, Refused, told, type Edit, type EditWish, type Pieces, type Project, type Recording } from '../../api/client'
import { putRecording, versionOptions } from '../../api/queries'
import { player, type Range } from '../../listening/player'
import { moved, settleWish, wishOf, type Move } from '../../time/moves'
import { shifted, toRecording } from '../../time/timeMap'
import { showing, zoomedAbout, type Viewport } from '../../time/viewport'
import { sayProblem } from '../../ui/problems'

/** How much wider than the whole event the mirror may show. */
const MOST_OUT = 1.5
/** Until the window was measured. */
const FIRST_PX = 960
/** How long a hand may rest between two presses that are one change. */
export const REST_MS = 350
/** A key that is held is let go of some time; should nobody tell, so late. */
const HELD_MS = 3000

/** What the page has of the server: the recording on the bench, and the knots of its versions once they have come. */
export interface Shown {
  project: Project
  reference: Recording
  recording: Recording
  stored: Pieces | null
  earlier: Pieces | null
}

/** All that the bench shows and all that is done on it; one for each visit. Times in s. */
export interface Bench extends Shown {
  /** What is drawn, and the version that is heard: the present one with what is not stored yet, or the one before. */
  pieces: Pieces
  mapId: string
  heldBack: boolean
  /** Moves of the whole that are drawn but not yet stored, and another move. */
  pendingS: number
  drawn: Move | null
  /** How many edits were refused: what was shown as if it were in force is taken back. */
  refusals: number
  widthPx: number
  /** All of it, as wide as the window is; and what of it is shown, null: all. */
  whole: Viewport
  view: Viewport | null
  selection: Range | null
  /** The piece that slides, null: the whole recording moves. */
  piece: number | null
  /** Where the loupes look, and the one whose moment is held: what is moved in another one then changes the clock. */
  centresS: readonly number[]
  heldLoupe: number | null

  show: (shown: Shown) => void
  measure: (widthPx: number) => void
  setView: (change: (view: Viewport) => Viewport) => void
  /** About a moment where that is in sight and the recording is there, else about the middle. */
  zoom: (factor: number, atS: number) => void
  showAll: () => void
  holdBack: (heldBack: boolean) => void
  select: (selection: Range | null) => void
  choosePiece: (piece: number | null) => void
  lookAt: (centresS: readonly number[]) => void
  look: (index: number, atS: number) => void
  holdLoupe: (index: number | null) => void

  /** Show a move while a drag goes on; nothing is stored. Null: the drag came to nothing. */
  preview: (move: Move | null) => void
  /** Store a move. */
  keep: (move: Move) => void
  /** Store a drag of the whole: it settles where it sounds alike near by. */
  drop: (byS: number) => void
  edit: (wish: EditWish) => void
  /** Move by a key: what is held or pressed again at once is one change, stored when the hand rests. */
  nudge: (byS: number, held?: boolean) => void
  /** The hand rests: store what the keys moved. */
  settle: () => void
}

export const viewOf = (bench: Bench): Viewport => bench.view ?? bench.whole
export const coarsestOf = (bench: Bench): number => bench.whole.secondsPerPx * MOST_OUT

type Given = Omit<Bench, 'pieces' | 'mapId' | 'whole'>

/** The view of all of it: the reference, and the recording where it reaches beyond. */
function wholeOf({ reference, recording, widthPx }: Pick<Bench, 'reference' | 'recording' | 'widthPx'>): Viewport {
  const startS = Math.min(0, recording.map?.start_ref_s ?? 0)
  const endS = Math.max(reference.media.duration_s ?? 1, recording.map?.end_ref_s ?? 0)
  return showing(startS, endS, widthPx)
}

/** What moving the sound in a loupe does; null where its moment is held. */
export function loupeMove({ heldLoupe, centresS }: Bench, index: number, byS: number): Move | null {
  if (heldLoupe === null) return { kind: 'shift', byS }
  return heldLoupe === index ? null : { kind: 'stretch', holdS: centresS[heldLoupe]!, atS: centresS[index]!, byS }
}

/** What follows from the rest. */
function drawnOf(bench: Given): Pick<Bench, 'pieces' | 'mapId'> {
  const { recording, stored, earlier, heldBack, pendingS, drawn } = bench
  if (heldBack && earlier && recording.earlier_id) return { pieces: earlier, mapId: recording.earlier_id }
  return { pieces: recording.map && stored ? moved(shifted(stored, pendingS), drawn) : [], mapId: recording.map?.id ?? '' }
}

interface Queue {
  version: number
  /** In the order in which they were made; those of the whole that are not stored yet move what is drawn. */
  waiting: EditWish[]
  /** Moved by keys, and still to be moved, s. */
  heldS: number
  timer: number
  busy: boolean
  /** An answer is there and is heard already, but not drawn: what is drawn instead still counts. */
  landing: boolean
}

const byOf = (wish: EditWish): number => (wish.kind === 'nudge' || wish.kind === 'settle' ? wish.by_s : 0)

export function createBench(client: QueryClient, shown: Shown): StoreApi<Bench> {
  const queue: Queue = { version: shown.recording.version, waiting: [], heldS: 0, timer: 0, busy: false, landing: false }
  const owedS = (): number => queue.heldS + queue.waiting.reduce((sum, one) => sum + byOf(one), 0)

  return createStore<Bench>((set, get) => {
    /** Set, with what follows from it. */
    const put = (change: Partial<Bench>): void =>
      set((bench) => {
        const next = { ...bench, ...change }
        const whole = wholeOf(next)
        // The same object as long as it says the same, so that what shows it is not drawn anew.
        const same = whole.startS === bench.whole.startS && whole.secondsPerPx === bench.whole.secondsPerPx
        return { ...change, ...drawnOf(next), whole: same ? bench.whole : whole }
      })

    // Sent one at a time and strictly in the order in which they were made.
    const send = async (): Promise<void> => {
      if (queue.busy) return
      queue.busy = true
      const { id, project_id } = get().recording
      try {
        for (let wish = queue.waiting[0]; wish; wish = queue.waiting[0]) {
          const changed = await told(
            api.POST('/api/recordings/{recording_id}/map-edits', {
              params: { path: { recording_id: id } },
              body: { ...wish, version: queue.version } as Edit,
            }),
          )
          queue.landing = true
          const heard = changed.map && !get().heldBack && player.follow(id, changed.map.id)
          // Many knots come by themselves; until they are here what is drawn stays.
          if (changed.map && !changed.map.pieces) await client.fetchQuery(versionOptions(id, changed.map.id))
          // Drawn it is already; what is heard begins before all is drawn anew.
          await heard
          queue.landing = false
          queue.version = changed.version
          queue.waiting.shift()
          // As it is kept: what has not changed in it is the same as before, and is not drawn anew.
          const recording = putRecording(client, changed)
          const stored = recording.map
            ? (recording.map.pieces ?? client.getQueryData(versionOptions(id, recording.map.id).queryKey)?.pieces ?? null)
            : null
          put({ recording, stored, pendingS: owedS(), drawn: queue.waiting.length ? get().drawn : null })
        }
      } catch (error) {
        queue.waiting = []
        queue.heldS = 0
        put({ pendingS: 0, drawn: null, refusals: get().refusals + 1 })
        sayProblem(error instanceof Error ? error.message : String(error))
        if (error instanceof Refused) await client.invalidateQueries({ queryKey: ['project', project_id] })
      } finally {
        queue.busy = queue.landing = false
        // What was done while the refusal was looked into waits still.
        if (queue.waiting.length) void send()
      }
    }
    const settle = (): void => {
      window.clearTimeout(queue.timer)
      if (Math.abs(queue.heldS) > 1e-12) queue.waiting.push({ kind: 'nudge', by_s: queue.heldS })
      queue.heldS = 0
      void send()
    }
    const edit = (wish: EditWish): void => {
      settle()
      queue.waiting.push(wish)
      put({ pendingS: owedS() })
      void send()
    }

    const first = { heldBack: false, pendingS: 0, drawn: null, refusals: 0 }
    return {
      ...shown,
      ...first,
      pieces: shown.stored ?? [],
      mapId: shown.recording.map?.id ?? '',
      widthPx: FIRST_PX,
      whole: wholeOf({ ...shown, widthPx: FIRST_PX }),
      view: null,
      selection: null,
      piece: null,
      centresS: [],
      heldLoupe: null,

      show: (next) => {
        // A page that was asked for before an edit may arrive after it: versions only rise.
        if (queue.landing || next.recording.version < queue.version) return put({ project: next.project, reference: next.reference })
        queue.version = next.recording.version
        const { piece } = get()
        // After an edit another piece may bear the number.
        const gone = piece !== null && piece >= (next.stored?.length ?? 0)
        put({ ...next, piece: gone ? null : piece })
      },
      measure: (widthPx) => put({ widthPx }),
      setView: (change) => set((bench) => ({ view: change(viewOf(bench)) })),
      zoom: (factor, atS) =>
        set((bench) => {
          // Not about a playhead that rests where the recording is not.
          const about = toRecording(bench.pieces, atS) === null ? null : atS
          return { view: zoomedAbout(viewOf(bench), about, bench.widthPx, factor, coarsestOf(bench)) }
        }),
      showAll: () => set({ view: null }),
      holdBack: (heldBack) => put({ heldBack }),
      select: (selection) => set({ selection }),
      choosePiece: (piece) => set({ piece }),
      lookAt: (centresS) => set({ centresS }),
      look: (index, atS) => set(({ centresS }) => ({ centresS: centresS.map((one, i) => (i === index ? atS : one)) })),
      holdLoupe: (heldLoupe) => set({ heldLoupe }),

      preview: (move) => {
        if (move?.kind === 'shift') put({ pendingS: owedS() + move.byS })
        else put({ pendingS: owedS(), drawn: move })
      },
      keep: (move) => {
        if (move.kind !== 'shift') put({ drawn: move })
        edit(wishOf(move))
      },
      drop: (byS) => edit(settleWish(byS, viewOf(get()).secondsPerPx)),
      edit,
      nudge: (byS, held = false) => {
        queue.heldS += byS
        put({ pendingS: owedS() })
        window.clearTimeout(queue.timer)
        queue.timer = window.setTimeout(settle, held ? HELD_MS : REST_MS)
      },
      settle,
    }
  })
}

export const BenchContext = createContext<StoreApi<Bench> | null>(null)

/** The store itself, for what asks without being drawn anew. */
export function useBenchStore(): StoreApi<Bench> {
  const store = useContext(BenchContext)
  if (!store) throw new Error('no bench around this')
  return store
}

/** A part of the bench's state; drawn anew only where that part changes. */
export const useBench = <T>(part: (bench: Bench) => T): T => useStore(useBenchStore(), part)
