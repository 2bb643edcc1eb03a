/**
 * The focus is never lost (WCAG 2.2, 2.4.3): what had it may go, by being deleted, done or closed; then the
 * next thing gets it that stood beside it, or the nearest place around it that still is there.
 */
import { useEventListener, useMutationObserver, useTimeoutFn } from '@vueuse/core'

const FOCUSABLE = 'a[href], button, input, select, textarea, summary, iframe, [tabindex="0"]'
/** Whoever moves the focus by intent does so within this time. */
const PATIENCE = 60 // milliseconds

/** What can have the focus: in the page, in sight, and not switched off. */
export function isReachable(element: Element): element is HTMLElement {
  if (!(element instanceof HTMLElement) || !element.isConnected) return false
  if (element.matches(':disabled, [tabindex="-1"]:not(main)')) return false
  return element.checkVisibility({ visibilityProperty: true })
}

interface Level {
  around: Element
  next: Element[]
  before: Element[]
}

/**
 * Around an element, from the inside out: what stands after and before it in each. Of the bar there is
 * nothing to go on with: whoever closes a note there goes back to what is shown.
 */
function levelsOf(element: Element): Level[] {
  const levels: Level[] = []
  if (!element.closest('main, [role="dialog"]')) return levels
  for (let at = element; at.parentElement; at = at.parentElement) {
    const siblings = [...at.parentElement.children]
    const index = siblings.indexOf(at)
    levels.push({
      around: at.parentElement,
      next: siblings.slice(index + 1),
      before: siblings.slice(0, index).reverse(),
    })
    if (at.parentElement.matches('main, [role="dialog"]')) break
  }
  return levels
}

function firstIn(element: Element): HTMLElement | undefined {
  if (!element.isConnected) return undefined
  if (element.matches(FOCUSABLE) && isReachable(element)) return element
  return [...element.querySelectorAll(FOCUSABLE)].find(isReachable)
}

/** The nearest thing that can have the focus, from what stood around. */
export function nearest(levels: readonly Level[]): HTMLElement | undefined {
  for (const { around, next, before } of levels) {
    if (!around.isConnected) continue
    // What stood beside it; else what came in its stead.
    for (const element of [...next, ...before, around]) {
      const first = firstIn(element)
      if (first) return first
    }
  }
  return document.querySelector<HTMLElement>('main') ?? undefined
}

function isNowhere(): boolean {
  return document.activeElement === null || document.activeElement === document.body
}

/** Whether an element was taken out; it may stand elsewhere by now, without the focus that it had. */
function hasTaken(record: MutationRecord, element: Node | undefined): boolean {
  return [...record.removedNodes].some((node) => node.contains(element ?? null))
}

export function useKeptFocus(): void {
  let last: Element | undefined
  let levels: Level[] = []

  useEventListener(document, 'focusin', (event) => {
    if (!(event.target instanceof Element)) return
    last = event.target
    levels = levelsOf(last)
  })
  // Whoever presses on nothing has let the focus go.
  useEventListener(document, 'pointerdown', () => (last = undefined), { capture: true })

  const looking = useTimeoutFn(
    () => {
      if (last === undefined || !isNowhere()) return
      const place = isReachable(last) ? last : nearest(levels)
      place?.focus({ preventScroll: true })
    },
    PATIENCE,
    { immediate: false },
  )
  /** It is not put off by what else changes meanwhile: in some places something always does. */
  function look(): void {
    if (!looking.isPending.value) looking.start()
  }
  useEventListener(document, 'focusout', () => {
    // Only after whatever takes the focus away is it known whether its place is still there.
    setTimeout(() => {
      if (!last || !isNowhere() || !document.hasFocus() || looking.isPending.value) return
      // What is still there was let go by intent.
      if (isReachable(last)) last = undefined
      else look()
    })
  })
  useMutationObserver(
    document.body,
    (records) => {
      if (!last || !isNowhere()) return
      if (!isReachable(last) || records.some((record) => hasTaken(record, last))) look()
    },
    { childList: true, subtree: true, attributeFilter: ['disabled', 'style', 'class', 'hidden'] },
  )
}
