import { Button, Flex, Text, type ButtonProps, type FlexProps } from '@chakra-ui/react'
import type { KeyboardEvent } from 'react'
import { reachedByTab } from './keys'

interface Props<T extends string> extends Omit<FlexProps, 'onChange'> {
  label: string
  options: readonly { value: T; label: string; title?: string; hint?: string }[]
  value: T
  choose: (value: T) => void
  button?: ButtonProps
  /** How the options that are not chosen look. */
  rest?: 'ghost' | 'outline'
}

const STEPS: Record<string, number> = { ArrowLeft: -1, ArrowUp: -1, ArrowRight: 1, ArrowDown: 1 }

/** One of several: one stop of the Tab key, arrows inside (WAI-ARIA, radio group). */
export function Choice<T extends string>({ label, options, value, choose, button, rest = 'ghost', ...group }: Props<T>) {
  const onKeyDown = (event: KeyboardEvent<HTMLElement>): void => {
    const by = STEPS[event.key]
    // Arrows after a click are the page's: they move the recording.
    if (!by || !reachedByTab()) return
    event.preventDefault()
    const at = options.findIndex((one) => one.value === value)
    const next = (at + by + options.length) % options.length
    choose(options[next]!.value)
    event.currentTarget.querySelectorAll<HTMLElement>('[role="radio"]')[next]?.focus()
  }
  return (
    <Flex role="radiogroup" aria-label={label} onKeyDown={onKeyDown} {...group}>
      {options.map((one) => (
        <Button
          key={one.value}
          role="radio"
          aria-checked={one.value === value}
          tabIndex={one.value === value ? 0 : -1}
          title={one.title}
          variant={one.value === value ? 'solid' : rest}
          onClick={() => choose(one.value)}
          {...button}
        >
          {one.label}
          {one.hint && (
            <Text as="span" fontSize="2xs" opacity={0.65}>
              {one.hint}
            </Text>
          )}
        </Button>
      ))}
    </Flex>
  )
}
