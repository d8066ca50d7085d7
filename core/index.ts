/** The computation of Vondle: everything server, web and command line share. */
export * from './model/place.ts';
export * from './model/values.ts';
export * from './model/finding.ts';
export * from './model/message.ts';
export * from './model/address.ts';
export * from './language/read.ts';
export type { Items } from './language/shape.ts';
export type * from './language/language.ts';
export { languageSchema } from './language/schema.ts';
export type { Domain, MessageType } from './language/messages.ts';
export * from './predicate/predicate.ts';
export { admits, evaluate } from './predicate/evaluate.ts';
export { attributeName, explain, operandsOf, show, type Reason } from './predicate/explain.ts';
export { wordsMatch, wordsOf } from './predicate/words.ts';
export { parseSelector } from './filters/selector.ts';
export * from './filters/trial.ts';
export { accessOf, covers, type Decide, type Decision } from './access/decide.ts';
export * from './routing/graph.ts';
export { mqttEntry, publisherId, takerId } from './routing/ways.ts';
export * from './routing/trace.ts';
export * from './routing/narrate.ts';
export { KeyTrie } from './routing/key-trie.ts';
export * from './samples/samples.ts';
export * from './samples/kept.ts';
export * from './samples/spread.ts';
export * from './routing/batch.ts';
export * from './expectations/prove.ts';
export { usageOf, excessOf, type Excess, type Usage } from './access/usage.ts';
export {
  callersOf,
  cellsOf,
  matrixCsv,
  needInWords,
  subjectsOf,
  type Cell,
  type CellState,
} from './access/matrix.ts';
export { labelsOf, reachOfLabel, type LabelReach } from './access/label.ts';
export { allowNeeds, needsOfRoute, needTitle } from './access/route.ts';
export { answerInWords, askAccess, type Question } from './access/ask.ts';
export { sameOrder } from './model/layered.ts';
export { arrivalsIn, type Arrivals } from './reach/arrivals.ts';
export { differences } from './language/differences.ts';
export { isMet, narrowest, needsOf, type Need } from './access/needs.ts';
export { expectationToWrite } from './expectations/write.ts';
export * from './rollout/amqp.ts';
export * from './rollout/probe.ts';
export { ABOUT_ACCEPTANCES, checkAll, Checking, CHECKS, runChecks, type Checked } from './checks/run.ts';
export { checksReference } from './checks/reference.ts';
export { isWhole, obstaclesIn, promisesNotKept, review, type Review } from './checks/review.ts';
export { findingsOf, mendAll, tryMend, type MendOutcome } from './checks/mend.ts';
export { acceptFinding, type Accepted } from './checks/acceptances.ts';
export * from './routing/settle.ts';
export {
  arrange,
  type Arrangement,
  type Connection,
  type Placeable,
  type Spacing,
} from './picture/arrange.ts';
export { fold, neighbourhood, type Fold } from './picture/fold.ts';
export { outcomeChange, outcomeOf, type OutcomeChange, type OutcomeOf } from './compare/outcomes.ts';
export { compareGraphs, type ChangeKind, type GraphChange } from './compare/graphs.ts';
export * from './formats/graph.ts';
export * from './formats/findings.ts';
export { toJunit } from './formats/junit.ts';
export * from './formats/messages.ts';
export * from './formats/batch.ts';
export * from './formats/trace.ts';
export {
  addItem,
  applyEdits,
  moveTo,
  pathOf,
  removeAt,
  rename,
  setAt,
  undoOf,
  type Edited,
  type Path,
} from './language/edit.ts';
export { beginQueue, type NewQueue } from './language/begin.ts';
export { completionsAt, type Completion, type Completions } from './language/complete.ts';
export { declarationOf, declarationsIn, symbolAt, usesOf, type Symbol } from './language/symbols.ts';
export { changeSetting, declOf, settingsOf, type Setting } from './language/settings.ts';
export { meantBy, usesIn, type Use } from './language/uses.ts';
export type { Json } from './language/render.ts';
export * from './routing/why-not.ts';
export { assign, solve, type Assignment, type Solution } from './predicate/solve.ts';
