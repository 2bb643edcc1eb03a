/** Closes a list of several choices: it does not stay open over what is below it. */
import type { ElSelect } from 'element-plus'
import { useTemplateRef } from 'vue'

/** `name` is the select's `ref` in the template. */
export function useClosingList(name: string): () => void {
  const list = useTemplateRef<InstanceType<typeof ElSelect>>(name)
  return () => {
    if (list.value) list.value.expanded = false
  }
}
