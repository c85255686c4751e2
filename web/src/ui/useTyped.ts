import { useState } from 'react'

/** What stands in a field: as typed, until what it shows becomes another. */
export function useTyped(shown: string): [string, (text: string) => void] {
  const [text, setText] = useState(shown)
  const [was, setWas] = useState(shown)
  // While it is drawn, not after: no picture may show an old figure beside new words.
  if (was !== shown) {
    setWas(shown)
    setText(shown)
    return [shown, setText]
  }
  return [text, setText]
}
