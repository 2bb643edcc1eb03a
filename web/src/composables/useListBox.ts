import { nextTick, ref, type Ref } from 'vue'

/**
 * The list below a field (WAI-ARIA's combobox with a list box): the arrows go round through its
 * options, while the focus stays in the field.
 *
 * `id` is the list's; its options have ids that begin with it. `first` is the option that is active before anything was pressed; −1 for none.
 */
export function useListBox(id: string, size: () => number, first: 0 | -1) {
  const active: Ref<number> = ref(first)

  function optionId(at: number): string {
    return `${id}-${String(at)}`
  }

  async function step(by: 1 | -1): Promise<void> {
    const options = size()
    if (options === 0) return
    const from = active.value < 0 && by < 0 ? 0 : active.value
    active.value = (from + by + options) % options
    await nextTick()
    document.getElementById(optionId(active.value))?.scrollIntoView({ block: 'nearest' })
  }

  return {
    active,
    optionId,
    /** The id of the active option, for the field's aria-activedescendant. */
    activeId: () => (size() > 0 && active.value >= 0 ? optionId(active.value) : undefined),
    step,
    restart: () => (active.value = first),
  }
}
