/** Uploads of mail: how far each has come, first on its way here, then on its way in. */
import { promiseTimeout } from '@vueuse/core'
import { onScopeDispose, ref } from 'vue'

import { api, content, type Import } from '@/api/client'

export interface Upload {
  key: number
  name: string
  /** Between 0 and 1, of sending and of taking in together. */
  done: number
  saying: string
  failed: boolean
  finished: boolean
}

const LOOK = 400 // milliseconds between two looks at an import
const SENDING = 0.5 // of the bar

let lastKey = 0

function send(file: File, sort: boolean, progress: (done: number) => void): Promise<Import> {
  const query = new URLSearchParams({ name: file.name, sort: String(sort) })
  return new Promise((resolve, reject) => {
    // fetch tells nothing of how far an upload has come.
    const request = new XMLHttpRequest()
    request.open('POST', `/api/imports?${query.toString()}`)
    request.setRequestHeader('Content-Type', 'application/octet-stream')
    request.upload.onprogress = (event) => {
      if (event.lengthComputable) progress(event.loaded / event.total)
    }
    request.onload = () => {
      const body: unknown = JSON.parse(request.responseText || '{}')
      if (request.status === 202) resolve(body as Import)
      else
        reject(
          new Error(
            (body as { detail?: string }).detail ??
              'It was not taken in, and nothing was changed. Try again.',
          ),
        )
    }
    request.onerror = () => {
      reject(new Error('Mnemic does not answer. Look whether it still runs, then try again.'))
    }
    request.send(file)
  })
}

function sayingOf(now: Import): string {
  const doubles =
    now.doubles > 0 ? `, ${now.doubles.toLocaleString('en-GB')} were here already` : ''
  const counts = `${now.taken_in.toLocaleString('en-GB')} taken in${doubles}`
  if (now.state === 'refused') return `Nothing of it was taken in: ${now.problem}`
  return now.state === 'waiting' ? 'Waits for its turn' : counts
}

export function useUploads(finished: () => void) {
  const uploads = ref<Upload[]>([])
  let ended = false
  onScopeDispose(() => {
    ended = true
  })

  async function follow(upload: Upload, first: Import): Promise<void> {
    let now = first
    for (;;) {
      upload.saying = sayingOf(now)
      upload.done = SENDING + (1 - SENDING) * now.done
      if (now.state === 'finished' || now.state === 'refused') break
      await promiseTimeout(LOOK)
      if (ended) return
      now = await content(api.GET('/api/imports/{id}', { params: { path: { id: first.id } } }))
    }
    upload.finished = true
    upload.failed = now.state === 'refused'
    finished()
  }

  async function take(files: readonly File[], sort: boolean): Promise<void> {
    for (const file of files) {
      lastKey += 1
      uploads.value.unshift({
        key: lastKey,
        name: file.name,
        done: 0,
        saying: 'On its way',
        failed: false,
        finished: false,
      })
      const upload = uploads.value[0]
      if (!upload) continue
      try {
        const taken = await send(file, sort, (done) => (upload.done = done * SENDING))
        await follow(upload, taken)
      } catch (error) {
        upload.failed = true
        upload.finished = true
        upload.saying = error instanceof Error ? error.message : String(error)
      }
    }
  }

  return { uploads, take }
}
