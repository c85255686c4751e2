import '@fontsource/source-code-pro/400.css'
import '@fontsource/source-code-pro/600.css'
import '@fontsource/source-sans-3/400.css'
import '@fontsource/source-sans-3/600.css'
import '@fontsource/source-sans-3/700.css'
import '@fontsource/source-serif-4/400.css'
import '@fontsource/source-serif-4/600.css'
import './ui/tokens.css'
import { ChakraProvider } from '@chakra-ui/react'
import { MutationCache, QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { StrictMode } from 'react'
import { createRoot } from 'react-dom/client'
import { App } from './App'
import { Refused } from './api/client'
import { keepFocus } from './ui/keepFocus'
import { watchTouches } from './ui/lastTouch'
import { sayProblem } from './ui/problems'
import { system } from './ui/theme'

const client: QueryClient = new QueryClient({
  defaultOptions: {
    // What is refused stays refused; only a server that does not answer is asked again.
    queries: {
      retry: (failed, error) => failed < 1 && !(error instanceof Refused && error.kind !== 'urn:gullywind:away'),
      refetchOnWindowFocus: false,
    },
    mutations: { retry: 0 },
  },
  mutationCache: new MutationCache({
    // Every refused change is told in one place; after a conflict the newest state is loaded.
    onError: (error) => {
      sayProblem(error.message)
      if (error instanceof Refused) void client.invalidateQueries({ queryKey: ['project'] })
    },
  }),
})

// A file that is dropped beside where it can be taken must not replace the page.
for (const kind of ['dragover', 'drop']) window.addEventListener(kind, (event) => event.preventDefault())

keepFocus()
watchTouches()

createRoot(document.getElementById('root')!).render(
  <StrictMode>
    <ChakraProvider value={system}>
      <QueryClientProvider client={client}>
        <App />
      </QueryClientProvider>
    </ChakraProvider>
  </StrictMode>,
)
