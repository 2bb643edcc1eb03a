/** When this browser last showed Mnemic: what happened since is told once, until it is left again. */
import { useEventListener, useStorage } from '@vueuse/core'
import { defineStore } from 'pinia'
import { ref } from 'vue'

const DAY = 86_400_000 // milliseconds
/** Whoever is back sooner has not been away. */
const AWAY = 3_600_000 // milliseconds

export const useLastLook = defineStore('last-look', () => {
  const left = useStorage('last-look', '')
  /** Where nothing is known of it, the last day is told. */
  const since = ref(left.value || new Date(Date.now() - DAY).toISOString())

  function seen(): void {
    if (document.hidden) {
      left.value = new Date().toISOString()
    } else if (left.value && Date.now() - Date.parse(left.value) > AWAY) {
      since.value = left.value
    }
  }
  useEventListener(document, 'visibilitychange', seen)
  useEventListener(window, 'pagehide', () => (left.value = new Date().toISOString()))

  return { since }
})
