import { createSharedComposable, useColorMode } from '@vueuse/core'

/** How the screen looks: by day, in the dark, or as the system has it; kept in this browser. */
export type Looks = 'auto' | 'light' | 'dark'

export const useLooks = createSharedComposable(() =>
  useColorMode<'light' | 'dark'>({
    attribute: 'data-looks',
    storageKey: 'looks',
    emitAuto: true,
    // It would be done by a style sheet inside the page, which the content policy refuses.
    disableTransition: false,
  }),
)
