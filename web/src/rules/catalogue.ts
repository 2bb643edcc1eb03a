/** Made by `make api` from core/catalogue.py: change it there. */
export const CATALOGUE = {
  groups: ["Usual", "More", "Size and time", "State", "Sender", "Recipient", "To", "Copy to", "Blind copy to", "Reply-To", "Sender field"],
  testLabels: {
    "text": {"contains": "contains", "words": "has the words", "is": "is", "begins": "begins with", "ends": "ends with", "wildcard": "matches * and ?", "regex": "matches pattern", "under": "is or is below", "exists": "is there"},
    "choice": {"is": "is"},
    "size": {"over": "is over", "under": "is under"},
    "age": {"over": "is over", "under": "is under"},
    "day": {"before": "before", "after": "after", "on": "on"},
  },
  fields: {
    "from": {
      "hasCase": true,
      "aspects": [
        {"key": "from", "label": "Sender", "group": "Usual", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "name@domain", "values": "text", "part": "address", "completes": {"header": "from", "part": "address"}},
        {"key": "from-domain", "label": "Sender’s domain", "group": "Usual", "tests": ["under", "is", "contains", "words", "begins", "ends", "wildcard", "regex"], "placeholder": "domain", "values": "text", "part": "domain", "completes": {"header": "from", "part": "domain"}},
        {"key": "from-name", "label": "Sender’s name", "group": "Sender", "tests": ["words", "contains", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "a name", "values": "text", "part": "name"},
        {"key": "from-any", "label": "Sender’s name or address", "group": "Sender", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "a name or an address", "values": "text", "part": "any"},
        {"key": "from-local", "label": "Sender’s part before the @", "group": "Sender", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "what stands before the @", "values": "text", "part": "local"},
        {"key": "from-user", "label": "Sender’s part before the +", "group": "Sender", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "what stands before the + or @", "values": "text", "part": "user"},
        {"key": "from-tag", "label": "Sender’s +tag", "group": "Sender", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "what stands after the +", "values": "text", "part": "tag"},
      ],
    },
    "recipient": {
      "hasCase": true,
      "aspects": [
        {"key": "recipient", "label": "Recipient", "group": "Usual", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "the address it came to", "values": "text", "part": "address", "completes": {"header": "recipient", "part": "address"}},
        {"key": "recipient-domain", "label": "Recipient’s domain", "group": "Recipient", "tests": ["under", "is", "contains", "words", "begins", "ends", "wildcard", "regex"], "placeholder": "domain", "values": "text", "part": "domain", "completes": {"header": "recipient", "part": "domain"}},
        {"key": "recipient-name", "label": "Recipient’s name", "group": "Recipient", "tests": ["words", "contains", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "a name", "values": "text", "part": "name"},
        {"key": "recipient-any", "label": "Recipient’s name or address", "group": "Recipient", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "a name or an address", "values": "text", "part": "any"},
        {"key": "recipient-local", "label": "Recipient’s part before the @", "group": "Recipient", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "what stands before the @", "values": "text", "part": "local"},
        {"key": "recipient-user", "label": "Recipient’s part before the +", "group": "Recipient", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "what stands before the + or @", "values": "text", "part": "user"},
        {"key": "recipient-tag", "label": "Recipient’s +tag", "group": "Recipient", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "what stands after the +", "values": "text", "part": "tag"},
      ],
    },
    "to": {
      "hasCase": true,
      "aspects": [
        {"key": "to", "label": "To", "group": "To", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "name@domain", "values": "text", "part": "address", "completes": {"header": "recipient", "part": "address"}},
        {"key": "to-domain", "label": "To: domain", "group": "To", "tests": ["under", "is", "contains", "words", "begins", "ends", "wildcard", "regex"], "placeholder": "domain", "values": "text", "part": "domain", "completes": {"header": "recipient", "part": "domain"}},
        {"key": "to-name", "label": "To: name", "group": "To", "tests": ["words", "contains", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "a name", "values": "text", "part": "name"},
        {"key": "to-any", "label": "To: name or address", "group": "To", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "a name or an address", "values": "text", "part": "any"},
        {"key": "to-local", "label": "To: part before the @", "group": "To", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "what stands before the @", "values": "text", "part": "local"},
        {"key": "to-user", "label": "To: part before the +", "group": "To", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "what stands before the + or @", "values": "text", "part": "user"},
        {"key": "to-tag", "label": "To: +tag", "group": "To", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "what stands after the +", "values": "text", "part": "tag"},
      ],
    },
    "cc": {
      "hasCase": true,
      "aspects": [
        {"key": "cc", "label": "Copy to", "group": "Copy to", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "name@domain", "values": "text", "part": "address", "completes": {"header": "recipient", "part": "address"}},
        {"key": "cc-domain", "label": "Copy to: domain", "group": "Copy to", "tests": ["under", "is", "contains", "words", "begins", "ends", "wildcard", "regex"], "placeholder": "domain", "values": "text", "part": "domain", "completes": {"header": "recipient", "part": "domain"}},
        {"key": "cc-name", "label": "Copy to: name", "group": "Copy to", "tests": ["words", "contains", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "a name", "values": "text", "part": "name"},
        {"key": "cc-any", "label": "Copy to: name or address", "group": "Copy to", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "a name or an address", "values": "text", "part": "any"},
        {"key": "cc-local", "label": "Copy to: part before the @", "group": "Copy to", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "what stands before the @", "values": "text", "part": "local"},
        {"key": "cc-user", "label": "Copy to: part before the +", "group": "Copy to", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "what stands before the + or @", "values": "text", "part": "user"},
        {"key": "cc-tag", "label": "Copy to: +tag", "group": "Copy to", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "what stands after the +", "values": "text", "part": "tag"},
      ],
    },
    "bcc": {
      "hasCase": true,
      "aspects": [
        {"key": "bcc", "label": "Blind copy to", "group": "Blind copy to", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "name@domain", "values": "text", "part": "address", "completes": {"header": "recipient", "part": "address"}},
        {"key": "bcc-domain", "label": "Blind copy to: domain", "group": "Blind copy to", "tests": ["under", "is", "contains", "words", "begins", "ends", "wildcard", "regex"], "placeholder": "domain", "values": "text", "part": "domain", "completes": {"header": "recipient", "part": "domain"}},
        {"key": "bcc-name", "label": "Blind copy to: name", "group": "Blind copy to", "tests": ["words", "contains", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "a name", "values": "text", "part": "name"},
        {"key": "bcc-any", "label": "Blind copy to: name or address", "group": "Blind copy to", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "a name or an address", "values": "text", "part": "any"},
        {"key": "bcc-local", "label": "Blind copy to: part before the @", "group": "Blind copy to", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "what stands before the @", "values": "text", "part": "local"},
        {"key": "bcc-user", "label": "Blind copy to: part before the +", "group": "Blind copy to", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "what stands before the + or @", "values": "text", "part": "user"},
        {"key": "bcc-tag", "label": "Blind copy to: +tag", "group": "Blind copy to", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "what stands after the +", "values": "text", "part": "tag"},
      ],
    },
    "reply_to": {
      "hasCase": true,
      "aspects": [
        {"key": "reply_to", "label": "Reply-To", "group": "Reply-To", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "name@domain", "values": "text", "part": "address", "completes": {"header": "recipient", "part": "address"}},
        {"key": "reply_to-domain", "label": "Reply-To: domain", "group": "Reply-To", "tests": ["under", "is", "contains", "words", "begins", "ends", "wildcard", "regex"], "placeholder": "domain", "values": "text", "part": "domain", "completes": {"header": "recipient", "part": "domain"}},
        {"key": "reply_to-name", "label": "Reply-To: name", "group": "Reply-To", "tests": ["words", "contains", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "a name", "values": "text", "part": "name"},
        {"key": "reply_to-any", "label": "Reply-To: name or address", "group": "Reply-To", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "a name or an address", "values": "text", "part": "any"},
        {"key": "reply_to-local", "label": "Reply-To: part before the @", "group": "Reply-To", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "what stands before the @", "values": "text", "part": "local"},
        {"key": "reply_to-user", "label": "Reply-To: part before the +", "group": "Reply-To", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "what stands before the + or @", "values": "text", "part": "user"},
        {"key": "reply_to-tag", "label": "Reply-To: +tag", "group": "Reply-To", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "what stands after the +", "values": "text", "part": "tag"},
      ],
    },
    "sender": {
      "hasCase": true,
      "aspects": [
        {"key": "sender", "label": "Sender field", "group": "Sender field", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "name@domain", "values": "text", "part": "address", "completes": {"header": "recipient", "part": "address"}},
        {"key": "sender-domain", "label": "Sender field: domain", "group": "Sender field", "tests": ["under", "is", "contains", "words", "begins", "ends", "wildcard", "regex"], "placeholder": "domain", "values": "text", "part": "domain", "completes": {"header": "recipient", "part": "domain"}},
        {"key": "sender-name", "label": "Sender field: name", "group": "Sender field", "tests": ["words", "contains", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "a name", "values": "text", "part": "name"},
        {"key": "sender-any", "label": "Sender field: name or address", "group": "Sender field", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "a name or an address", "values": "text", "part": "any"},
        {"key": "sender-local", "label": "Sender field: part before the @", "group": "Sender field", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "what stands before the @", "values": "text", "part": "local"},
        {"key": "sender-user", "label": "Sender field: part before the +", "group": "Sender field", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "what stands before the + or @", "values": "text", "part": "user"},
        {"key": "sender-tag", "label": "Sender field: +tag", "group": "Sender field", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "what stands after the +", "values": "text", "part": "tag"},
      ],
    },
    "subject": {
      "hasCase": true,
      "aspects": [
        {"key": "subject", "label": "Subject", "group": "Usual", "tests": ["words", "contains", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "word or phrase", "values": "text"},
      ],
    },
    "body": {
      "hasCase": true,
      "aspects": [
        {"key": "body", "label": "Body", "group": "Usual", "tests": ["words", "contains", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "word or phrase", "values": "text"},
      ],
    },
    "text": {
      "hasCase": true,
      "aspects": [
        {"key": "text", "label": "Subject or body", "group": "Usual", "tests": ["words", "contains", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "word or phrase", "values": "text"},
      ],
    },
    "kind": {
      "hasCase": false,
      "aspects": [
        {"key": "kind", "label": "Kind", "group": "Usual", "tests": ["is"], "placeholder": "pick", "values": "choice", "choices": [{"value": "personal", "label": "personal"}, {"value": "newsletter", "label": "newsletter"}, {"value": "discussion", "label": "discussion list"}, {"value": "notification", "label": "automatic notification"}, {"value": "invitation", "label": "invitation"}, {"value": "auto_reply", "label": "automatic answer"}, {"value": "bounce", "label": "bounce"}]},
      ],
    },
    "attachment": {
      "hasCase": true,
      "aspects": [
        {"key": "has-attachment", "label": "Has an attachment", "group": "Usual", "tests": ["exists"], "placeholder": "word or phrase", "values": "text"},
        {"key": "attachment", "label": "Attachment’s name", "group": "More", "tests": ["contains", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "a file’s name", "values": "text"},
      ],
    },
    "attachment_type": {
      "hasCase": true,
      "aspects": [
        {"key": "attachment_type", "label": "Attachment’s type", "group": "More", "tests": ["is", "contains", "begins", "words", "ends", "wildcard", "regex"], "placeholder": "application/pdf", "values": "text"},
      ],
    },
    "list": {
      "hasCase": true,
      "aspects": [
        {"key": "list", "label": "List", "group": "More", "tests": ["is", "exists", "contains", "words", "begins", "ends", "wildcard", "regex"], "placeholder": "a list’s identifier", "values": "text"},
      ],
    },
    "header": {
      "hasCase": true,
      "aspects": [
        {"key": "header", "label": "Header field", "group": "More", "tests": ["contains", "exists", "words", "is", "begins", "ends", "wildcard", "regex"], "placeholder": "its value", "values": "text"},
      ],
    },
    "contact": {
      "hasCase": false,
      "aspects": [
        {"key": "contact", "label": "Sender is", "group": "More", "tests": ["is"], "placeholder": "pick", "values": "choice", "choices": [{"value": "known", "label": "in the address book"}, {"value": "unknown", "label": "not in the address book"}, {"value": "first", "label": "writing for the first time"}]},
      ],
    },
    "addressed": {
      "hasCase": false,
      "aspects": [
        {"key": "addressed", "label": "Addressed", "group": "More", "tests": ["is"], "placeholder": "pick", "values": "choice", "choices": [{"value": "only_me", "label": "to me alone"}, {"value": "to_me", "label": "to me"}, {"value": "cc_me", "label": "to me as a copy"}, {"value": "not_me", "label": "not to me by name"}]},
      ],
    },
    "priority": {
      "hasCase": false,
      "aspects": [
        {"key": "priority", "label": "Importance", "group": "More", "tests": ["is"], "placeholder": "pick", "values": "choice", "choices": [{"value": "high", "label": "high"}, {"value": "normal", "label": "normal"}, {"value": "low", "label": "low"}]},
      ],
    },
    "size": {
      "hasCase": false,
      "aspects": [
        {"key": "size", "label": "Size", "group": "Size and time", "tests": ["over", "under"], "placeholder": "2 MB", "values": "size"},
      ],
    },
    "age": {
      "hasCase": false,
      "aspects": [
        {"key": "age", "label": "Age", "group": "Size and time", "tests": ["over", "under"], "placeholder": "30 days", "values": "age"},
      ],
    },
    "received": {
      "hasCase": false,
      "aspects": [
        {"key": "received", "label": "Received", "group": "Size and time", "tests": ["before", "after", "on"], "placeholder": "a day", "values": "day"},
      ],
    },
    "sent": {
      "hasCase": false,
      "aspects": [
        {"key": "sent", "label": "Sent", "group": "Size and time", "tests": ["before", "after", "on"], "placeholder": "a day", "values": "day"},
      ],
    },
    "folder": {
      "hasCase": false,
      "aspects": [
        {"key": "folder", "label": "Folder", "group": "State", "tests": ["is"], "placeholder": "a folder’s path", "values": "text", "completes": "folder"},
      ],
    },
    "label": {
      "hasCase": false,
      "aspects": [
        {"key": "label", "label": "Label", "group": "State", "tests": ["is"], "placeholder": "a label’s name", "values": "text", "completes": "label"},
      ],
    },
    "account": {
      "hasCase": false,
      "aspects": [
        {"key": "account", "label": "Account", "group": "State", "tests": ["is"], "placeholder": "its address", "values": "text", "completes": "account"},
      ],
    },
    "seen": {
      "hasCase": false,
      "aspects": [
        {"key": "seen", "label": "Read", "group": "State", "tests": ["is"], "placeholder": "pick", "values": "choice", "choices": [{"value": true, "label": "read"}, {"value": false, "label": "unread"}]},
      ],
    },
    "flagged": {
      "hasCase": false,
      "aspects": [
        {"key": "flagged", "label": "Flag", "group": "State", "tests": ["is"], "placeholder": "pick", "values": "choice", "choices": [{"value": true, "label": "flagged"}, {"value": false, "label": "not flagged"}]},
      ],
    },
  },
  actions: {
    "keep": {"label": "Keep it in the inbox", "short": "keep in the inbox", "slot": "place", "fresh": {"do": "keep"}, "needs": [], "input": "nothing", "picks": null, "movesTo": null},
    "file": {"label": "Move it to the inbox", "short": "file in {folder}", "slot": "place", "fresh": {"do": "file", "folder": "Inbox"}, "needs": [], "input": "nothing", "picks": null, "movesTo": null},
    "archive": {"label": "Archive it", "short": "archive", "slot": "place", "fresh": {"do": "archive"}, "needs": [], "input": "nothing", "picks": null, "movesTo": "archive"},
    "trash": {"label": "Move it to the trash", "short": "to the trash", "slot": "place", "fresh": {"do": "trash"}, "needs": [], "input": "nothing", "picks": null, "movesTo": "trash"},
    "erase": {"label": "Erase it", "short": "erase", "slot": "place", "fresh": {"do": "erase"}, "needs": [], "input": "nothing", "picks": null, "movesTo": "erased"},
    "read": {"label": "Mark it as read", "short": "mark as read", "slot": "seen", "fresh": {"do": "read"}, "needs": [], "input": "nothing", "picks": null, "movesTo": null},
    "unread": {"label": "Mark it as unread", "short": "mark as unread", "slot": "seen", "fresh": {"do": "unread"}, "needs": [], "input": "nothing", "picks": null, "movesTo": null},
    "flag": {"label": "Flag it", "short": "flag", "slot": "flagged", "fresh": {"do": "flag"}, "needs": [], "input": "nothing", "picks": null, "movesTo": null},
    "unflag": {"label": "Take its flag off", "short": "take the flag off", "slot": "flagged", "fresh": {"do": "unflag"}, "needs": [], "input": "nothing", "picks": null, "movesTo": null},
    "colour": {"label": "Colour it", "short": "colour {colour}", "slot": "colour", "fresh": {"do": "colour", "colour": "moss"}, "needs": [], "input": "pick", "picks": {"key": "colour", "label": "Colour", "values": ["moss", "clay", "harbour", "plum", "straw", "slate", "rose", "lagoon"], "optional": false}, "movesTo": null},
    "priority": {"label": "Set its importance", "short": "{level} importance", "slot": "priority", "fresh": {"do": "priority", "level": "high"}, "needs": [], "input": "pick", "picks": {"key": "level", "label": "Importance", "values": ["high", "normal", "low"], "optional": false}, "movesTo": null},
    "copy": {"label": "Copy it to a folder", "short": "copy to {folder}", "slot": null, "fresh": {"do": "copy", "folder": ""}, "needs": ["folder"], "input": "folder", "picks": null, "movesTo": null},
    "label": {"label": null, "short": "label {label}", "slot": null, "fresh": {"do": "label", "label": ""}, "needs": ["label"], "input": "nothing", "picks": null, "movesTo": null},
    "unlabel": {"label": "Take a label off", "short": "take label {label} off", "slot": null, "fresh": {"do": "unlabel", "label": ""}, "needs": ["label"], "input": "label", "picks": null, "movesTo": null},
    "forward": {"label": "Forward it", "short": "forward to {to}", "slot": null, "fresh": {"do": "forward", "to": []}, "needs": ["to"], "input": "addresses", "picks": null, "movesTo": null},
    "reply": {"label": "Answer it", "short": "answer", "slot": null, "fresh": {"do": "reply", "text": "", "subject": null, "every": 7}, "needs": ["text"], "input": "answer", "picks": null, "movesTo": null},
    "notify": {"label": "Make a sound", "short": "make a sound", "slot": null, "fresh": {"do": "notify", "sound": null}, "needs": [], "input": "pick", "picks": {"key": "sound", "label": "Sound", "values": ["bell", "knock", "ripple"], "optional": true}, "movesTo": null},
  },
} as const
