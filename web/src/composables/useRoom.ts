/** How much room the window has; the style sheets measure by the same widths. */
import { useMediaQuery } from '@vueuse/core'
import type { Ref } from 'vue'

/** One pane at a time: the others are drawers and sheets. */
export function useNarrow(): Ref<boolean> {
  return useMediaQuery('(max-width: 1099px)')
}

/** Held in one hand: the views lie within a thumb's reach. */
export function useHandheld(): Ref<boolean> {
  return useMediaQuery('(max-width: 699px)')
}

/** So low, by a large zoom, that bars leave too little of the view between them. */
export function useLow(): Ref<boolean> {
  return useMediaQuery('(max-height: 419px)')
}

/** Room for what is opened beside the list it was opened from. */
export function useWide(): Ref<boolean> {
  return useMediaQuery('(min-width: 1600px)')
}
