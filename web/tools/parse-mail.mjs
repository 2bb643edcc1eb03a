// Parses the mail files named on the command line with postal-mime, an independent parser, and
// prints subject, senders and text of each as JSON. Used by tests/test_independent_parser.py.
import { readFile } from 'node:fs/promises'

import PostalMime from 'postal-mime'

const parsed = {}
for (const path of process.argv.slice(2)) {
  const mail = await PostalMime.parse(await readFile(path))
  parsed[path] = {
    subject: mail.subject ?? null,
    from: mail.from?.address ?? mail.from?.group?.[0]?.address ?? null,
    text: mail.text ?? null,
    html: Boolean(mail.html),
  }
}
console.log(JSON.stringify(parsed))
