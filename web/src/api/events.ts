/**
 * What happens on the server, as it happens (server-sent events).
 *
 * A browser opens six connections to a server at most, so of several tabs one alone holds the
 * stream (a web lock decides which) and tells the others.
 */
import { promiseTimeout } from '@vueuse/core'
import type { ServerEvent } from './client'

export type Listener = (event: ServerEvent) => void

const NAME = 'mnemic-events'
const RETRY_AFTER = 1000 // milliseconds

function isServerEvent(value: unknown): value is ServerEvent {
  return typeof value === 'object' && value !== null && 'type' in value
}

/** Hold the stream until the signal aborts; the browser reconnects after a lost connection. */
async function holdStream(tell: Listener, signal: AbortSignal): Promise<void> {
  while (!signal.aborted) {
    await new Promise<void>((resolve) => {
      const source = new EventSource('/api/events')
      const end = (): void => {
        source.close()
        resolve()
      }
      signal.addEventListener('abort', end, { once: true })
      source.onmessage = (message: MessageEvent<string>) => {
        const event: unknown = JSON.parse(message.data)
        if (isServerEvent(event)) tell(event)
      }
      source.onerror = () => {
        if (source.readyState === EventSource.CLOSED) end()
      }
    })
    await promiseTimeout(RETRY_AFTER)
  }
}

/** Listen to the server until the returned function is called. */
export function listen(listener: Listener): () => void {
  const stop = new AbortController()
  const tabs = new BroadcastChannel(NAME)
  tabs.onmessage = (message: MessageEvent<unknown>) => {
    if (isServerEvent(message.data)) listener(message.data)
  }
  const tell: Listener = (event) => {
    tabs.postMessage(event)
    listener(event)
  }
  navigator.locks
    .request(NAME, { signal: stop.signal }, () => holdStream(tell, stop.signal))
    .catch((error: unknown) => {
      if (!stop.signal.aborted) throw error
    })
  return () => {
    stop.abort()
    tabs.close()
  }
}
