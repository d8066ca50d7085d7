export { type Question, answerInWords, askAccess } from './access/ask.ts';
export { type IfControlled, ifControlled, isOpen } from './access/controlled.ts';
export { labelsOf, reachOfLabel } from './access/label.ts';
export { type Cell, callersOf, cellsOf, needInWords, subjectsOf } from './access/matrix.ts';
export { type Need, isMet } from './access/needs.ts';
export { allowNeeds, needTitle, needsOfRoute } from './access/route.ts';
export { excessOf, usageOf } from './access/usage.ts';
export { type Agreement, agreementOn, isRuled } from './agreement/agreement.ts';
export type { Accepted } from './checks/acceptances.ts';
export { idOf, signsOf } from './checks/identity.ts';
export { type Review, checked, obstaclesIn, promisesNotKept, proved, review } from './checks/review.ts';
export { ABOUT_ACCEPTANCES, CHECKS, checkAll } from './checks/run.ts';
export { arrivalsIn } from './classes/arrivals.ts';
export { STAYS } from './classes/classes.ts';
export type { Differing } from './classes/told.ts';
export { type KnownClasses, classesIn } from './classes/kept.ts';
export {
  type ClassOutcome,
  type MessageClass,
  type PublishClasses,
  type RouteChange,
  type ChangeTold,
  type PublishPair,
  type Telling,
  changesInWords,
  changesOf,
  comingTo,
  classesOf,
  differenceOf,
  distinctionOf,
  publishPairs,
  publishesOf,
  reachOf,
} from './classes/classes.ts';
export { type ChangeKind, compareGraphs } from './compare/graphs.ts';
export {
  type DeclaredChange,
  type SettingChange,
  compareDeclared,
  declaredText,
} from './compare/settings.ts';
export { type AccessChange, type Compared, compareTopologies } from './compare/whole.ts';
export { outcomeChange, outcomeOf } from './compare/outcomes.ts';
export { type Proof, basisInWords, findingOfProof, proveAll } from './expectations/prove.ts';
export { type Arrangement, type Connection, type Placeable, arrange } from './picture/arrange.ts';
export { fold, neighbourhood } from './picture/fold.ts';
export { adopt } from './adopt/amqp.ts';
export { adoptHosted } from './adopt/hosted.ts';
export type { Adopted, TakersNow } from './adopt/names.ts';
export type { UserRights } from './adopt/rights.ts';
export { type Sampled, guessTypes } from './adopt/types.ts';
export { type CarriedLink, type LinkEnd, linksToCarry } from './rollout/links.ts';
export { obstaclesToPlan } from './rollout/obstacles.ts';
export { type Ordered, type Unit, safeOrder } from './rollout/order.ts';
export { type Earlier, type Plan, type Step, doneIn, inventoryChanges, planRollout } from './rollout/plan.ts';
export { type HostedWindow, hostedWindows, safeHostedOrder } from './rollout/hosted-windows.ts';
export { type HostedKind, type HostedStep, type HostedThing, wantedHosted } from './rollout/hosted.ts';
export { type RightsStep, wantedRights } from './rollout/rights.ts';
export type { Operation } from './rollout/state.ts';
export type { Window } from './rollout/windows.ts';
export { strangeInExchange, strangeInQueue } from './rollout/understood.ts';
export {
  type AppRights,
  type Arguments,
  type Inventory,
  type WantedState,
  type WireBinding,
  type WireExchange,
  type WireQueue,
  bindingId,
  bindingText,
  differs,
  inventoryOf,
  wantedState,
} from './rollout/wire.ts';
export { expectProbe, mannersOf, withinReach } from './rollout/probe.ts';
export { keptSamples, sampleToWrite, sendingsOf, traceSample } from './samples/kept.ts';
export { asGiven, remarksOn } from './samples/given.ts';
export { type Recognised, recognise } from './samples/recognise.ts';
export { samplesOf } from './samples/samples.ts';
export { spreadAt } from './samples/spread.ts';
export { Batch, type BatchRow } from './trace/batch.ts';
export { missesAt, summarise, whyHop } from './trace/narrate.ts';
export { settle } from './trace/settle.ts';
export { type Consequence, allFollowed, throughApps } from './trace/through.ts';
export {
  conditionKind,
  conditionText,
  readCondition,
  tryCondition,
  typesAt,
  writeCondition,
} from './trial/trial.ts';
export { whyNot } from './why-not/why-not.ts';
export { type Contradiction, type ContradictionKind, contradictions } from './watch/contradictions.ts';
export { type Alert, alertKey, alertsNow } from './watch/alerts.ts';
export { type AlertAt, type TapAt, alertsOf, tapsOf } from './watch/declared.ts';
export { type Expected, type ExpectedStore, appBehind, expectedOf, storeNames } from './watch/expected.ts';
export {
  type BrokerNow,
  type EntryNow,
  type LinkNow,
  type Look,
  type StoreNow,
  type TakerNow,
  cameBetween,
  rate,
  storesIn,
} from './watch/look.ts';
