const two = (n: number): string => String(n).padStart(2, '0')

/** `1:02:03.4` or `2:03.4`: a time in the event, for axes and lists. */
export function clock(timeS: number, decimals = 1): string {
  const sign = timeS < 0 ? '−' : ''
  const scale = 10 ** decimals
  const total = Math.round(Math.abs(timeS) * scale)
  const seconds = (total / scale) % 60
  const minutes = Math.floor(total / scale / 60)
  const text = seconds.toFixed(decimals).padStart(decimals ? 3 + decimals : 2, '0')
  return minutes >= 60 ? `${sign}${Math.floor(minutes / 60)}:${two(minutes % 60)}:${text}` : `${sign}${minutes}:${text}`
}

/** Timecode `HH:MM:SS:FF`, counted in whole frames of the project's rate (non-drop). */
export function timecode(timeS: number, frameRate: number): string {
  const nominal = Math.round(frameRate)
  const frames = Math.floor(Math.abs(timeS) * frameRate + 1e-6)
  const sign = timeS < -1e-9 ? '−' : ''
  const seconds = Math.floor(frames / nominal)
  return `${sign}${two(Math.floor(seconds / 3600))}:${two(Math.floor(seconds / 60) % 60)}:${two(seconds % 60)}:${two(frames % nominal)}`
}

/** A signed number with a real minus sign. */
export const signed = (value: number, decimals: number): string => {
  const text = Math.abs(value).toFixed(decimals)
  return Number(text) === 0 ? text : `${value < 0 ? '−' : '+'}${text}`
}

/** `1 recording`, `2 recordings`. */
export const recordingCount = (count: number): string => `${count} recording${count === 1 ? '' : 's'}`

/** A size for people: `5.2 MB`. */
export const megabytes = (bytes: number): string => (bytes >= 1e9 ? `${(bytes / 1e9).toFixed(1)} GB` : `${(bytes / 1e6).toFixed(1)} MB`)

/**
 * A time as it is typed: `95.25`, `1:35.25`, `1:02:03`, timecode `00:01:35:06`, or `4800 samples`; null where it is none.
 */
export function timeFrom(text: string, frameRate: number, sampleRateHz: number): number | null {
  const samples = /^([-+−]?\d+)\s*samples?$/.exec(text.trim())
  if (samples) return Number(samples[1]!.replace('−', '-')) / sampleRateHz
  const plain = text.trim().replace(/s$/, '').trim().replace(',', '.').replace('−', '-')
  if (!/^[-+]?\d*(:\d{1,2}){0,3}(\.\d+)?$/.test(plain) || !/\d/.test(plain)) return null
  const sign = plain.startsWith('-') ? -1 : 1
  const parts = plain.replace(/^[-+]/, '').split(':').map(Number)
  if (parts.length === 4) {
    const [hours, minutes, seconds, frames] = parts as [number, number, number, number]
    // Whole frames are counted at the nominal rate, as timecode is shown.
    const count = (hours * 3600 + minutes * 60 + seconds) * Math.round(frameRate) + frames
    return frames < Math.round(frameRate) ? (sign * count) / frameRate : null
  }
  return sign * parts.reduce((total, part) => total * 60 + part, 0)
}

/** A number as people type it, perhaps with its unit: `-3`, `−3,5 dB`, `+12`. Null where it is none. */
export function numberFrom(text: string, unit: string): number | null {
  const plain = text.trim().replace(',', '.').replace('−', '-')
  const found = /^([+-]?\d+(?:\.\d+)?|[+-]?\.\d+)\s*([a-z]*)$/i.exec(plain)
  return found && (found[2] === '' || found[2]!.toLowerCase() === unit.toLowerCase()) ? Number(found[1]) : null
}
