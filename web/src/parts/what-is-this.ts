/** A paragraph on each view: what it is, and what one does in it. Shown by the view itself,. */
export const WHAT_IS_THIS: Readonly<Record<string, string>> = {
  declare:
    'The documents of the topology: text on the one hand, what it means on the other. Type, and findings, picture and every other view follow within a moment; or fill in a form by “New …”, which writes the text for you and shows it before it does. What the cursor is in is shown on the right: what leads to it, its settings, what is wrong with it. Undo takes everything back, text and forms alike.',
  declared:
    'Everything that is declared, as one table a kind. A setting that nobody stated stands in italics with what holds without it. Press a cell to write it; pick several rows to write one setting in all of them at once; the first column opens the thing. All of it is written into the documents and can be undone.',
  'fan-out':
    'The ways messages can go, from those who publish on the left to those who take on the right, each broker a band. Choose a message above and its way lights up, with the number of copies at each step; pick a store to see what can reach it; press a broker’s name to fold it. Against a revision, what came, went and changed is marked.',
  trace:
    'One message, followed from where it is sent: make it from an example or by hand, and read where each copy ends and why. Pick a store that gets none to hear why not, and what would change that. “Many” follows a file or thousands at once; “kept” follows the samples kept with the topology. An outcome can be kept as an expectation.',
  coverage:
    'All messages that can be sent, not examples: those that end alike are one class, and every message is in exactly one. A row says which messages it is, how many of all, and in which stores how many copies come to rest; press it and its way lights up in the picture, press a copy to trace it. Ask which messages come to a store, which reach nobody, and pick two rows to hear what tells them apart.',
  findings:
    'What the checks found wrong with the topology as it is in the draft: what, where, why it matters, and the edit that mends it, shown before it is made. What is meant to be so is accepted with a reason, which is written into the text for everybody.',
  expectations:
    'The promises about where messages go: who must get them, who must never, in how many copies, within what time. Each is proved at every change for all messages there can be, or refuted by the smallest that breaks it.',
  access:
    'Who may do what to what. A cell says whether a way of messages needs that permission, whether it is there, and which statement decides it. Beside the matrix: what is needed and missing, what is allowed and used by nobody, who can come by a kind of data, and a question about one case.',
  revisions:
    'The states of the topology that were kept, the newest first: by whom, when and why, what was wrong then, which promises held, and where each runs. Pick one to read what it changed, in what is declared and in what messages do; put the draft back to it, or compare the draft with it in the picture.',
  compare:
    'Any two states of the topology beside each other: a draft, a revision, what an environment runs, a folder from this computer. What is declared otherwise, setting by setting; which messages end elsewhere, before and after; who may do more or less; what is wrong now and what is cured; and the text. All of it can be copied as Markdown.',
  review:
    'A draft that is to become a revision, put before others: what it does to messages and to what is declared, in sentences; what the checks say of it; and what people say to it. Say something to any line, thing, sentence or finding; approve it, or ask for changes. Who has to approve is written in the topology itself, under “review”. A draft that changes loses its approvals, and shows what changed since.',
  people:
    'Who belongs to this topology and what each may do: readers look at all of it, authors change it, approvers agree to what others made, operators carry it out on brokers, owners do all of that and let others in. Whoever is to join is sent a link, which works once. Below, what everybody did, as a trail that only grows.',
  watch:
    'An environment as it is now, looked at every few seconds: what waits in each store, how many somebody has in hand, who takes, how many come and go a second. Above, in words, what contradicts the topology: a taker that is missing, one that nothing declares, a store that grows, a taker that settles nothing, dead letters, a link that stands. Pick stores to chart them; of one, its messages can be looked at without taking them.',
  rollout:
    'A saved revision, carried out on a real broker: first the list of steps with what each may do to messages, then, when you say so, the steps themselves, one by one, with a way back. Afterwards probes, real messages, prove that they land where the trace says.',
};
