"""What comes from the browser, taken from its audio graph by a script in the page, which `bypass_csp` must allow."""

import base64

import numpy as np
from playwright.sync_api import Page

#: Notes down all that goes to the loudspeakers, in blocks of 128 samples.
RECORDER = """
const processor = `registerProcessor('recorder', class extends AudioWorkletProcessor {
  process([input]) {
    if (input.length) this.port.postMessage([input[0], input[1] ?? input[0]])
    return true
  }
})`
const address = URL.createObjectURL(new Blob([processor], { type: 'text/javascript' }))
const connect = AudioNode.prototype.connect
const buses = new Map()
window.heard = []
const busOf = (context) => {
  if (!buses.has(context)) {
    const bus = new GainNode(context)
    buses.set(context, bus)
    context.audioWorklet.addModule(address).then(() => {
      const recorder = new AudioWorkletNode(context, 'recorder', { channelCount: 2, channelCountMode: 'explicit' })
      recorder.port.onmessage = ({ data }) => window.heard.push(data)
      connect.call(bus, recorder)
    })
  }
  return buses.get(context)
}
AudioNode.prototype.connect = function (to, ...rest) {
  if (to instanceof AudioDestinationNode) connect.call(this, busOf(this.context))
  return connect.call(this, to, ...rest)
}
window.takeHeard = (count) => {
  const blocks = window.heard.splice(0).slice(-count)
  const all = new Float32Array(blocks.length * 256)
  blocks.forEach(([left, right], i) => { all.set(left, i * 256); all.set(right, i * 256 + 128) })
  let text = ''
  for (const byte of new Uint8Array(all.buffer)) text += String.fromCharCode(byte)
  return btoa(text)
}
"""
#: 0.7 s: enough to be found again in the event, and settled after a change of level.
BLOCKS = 256


def hear(page: Page) -> tuple[np.ndarray, np.ndarray]:
    """Left and right of what comes from now on, each shape (BLOCKS * 128,)."""
    page.evaluate("window.takeHeard(0)")
    page.wait_for_function(f"window.heard.length >= {BLOCKS}")
    return taken(page.evaluate(f"window.takeHeard({BLOCKS})"))


def taken(text: str) -> tuple[np.ndarray, np.ndarray]:
    """Left and right of what `takeHeard` returned."""
    blocks = np.frombuffer(base64.b64decode(text), np.float32).reshape(-1, 2, 128)
    return blocks[:, 0].ravel(), blocks[:, 1].ravel()


def position(part: np.ndarray, whole: np.ndarray) -> int:
    """Where a part lies in the whole, in samples: the highest correlation."""
    size = 1 << (part.size + whole.size).bit_length()
    product = np.fft.irfft(np.fft.rfft(whole, size) * np.conj(np.fft.rfft(part, size)), size)
    return int(np.argmax(product[: whole.size]))
