/**
 * A clock as people type it: `38,1 ppm`, a speed as `96 %`, a ratio as `24/25`, or a figure in the unit that is shown.
 * Recording seconds per reference second; null where it is none of these.
 */
export function rateFrom(text: string, shown: 'ppm' | '%'): number | null {
  const plain = text.trim().replace(',', '.').replace('−', '-')
  const ratio = /^(\d+(?:\.\d+)?)\s*[/:]\s*(\d+(?:\.\d+)?)$/.exec(plain)
  if (ratio) return Number(ratio[2]) > 0 ? Number(ratio[1]) / Number(ratio[2]) : null
  const number = /^([+-]?\d+(?:\.\d+)?)\s*(ppm|%)?$/i.exec(plain)
  if (!number) return null
  return (number[2] ?? shown) === '%' ? Number(number[1]) / 100 : 1 + Number(number[1]) * 1e-6
}
