import { create } from 'zustand'
import type { Viewport } from '../../time/viewport'

/** The stretch of time that all strips show. Strips draw it without being rendered anew: seventy are moved at once. */
export const useOverviewView = create<{ view: Viewport }>(() => ({ view: { startS: 0, secondsPerPx: 1 } }))

export const overviewView = (): Viewport => useOverviewView.getState().view
export const onOverviewView = (draw: () => void): (() => void) => useOverviewView.subscribe(draw)
