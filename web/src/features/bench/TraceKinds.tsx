import { Text } from '@chakra-ui/react'
import { TRACES, useTraceKind } from './traceKind'

/** Which of two ways the trace shows, by the words for them. */
export function TraceKinds({ labels }: { labels: Record<(typeof TRACES)[number]['kind'], string> }) {
  const { kind, choose } = useTraceKind()
  return TRACES.map((one) => (
    <Text
      key={one.kind}
      as="button"
      px="1"
      flexShrink={0}
      aria-pressed={kind === one.kind}
      fontWeight={kind === one.kind ? '700' : '400'}
      textDecoration={kind === one.kind ? 'underline' : 'none'}
      title="T"
      onClick={() => choose(one.kind)}
    >
      {labels[one.kind]}
    </Text>
  ))
}
