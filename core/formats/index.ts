export { findingsData, findingsText, toSarif } from './findings.ts';
export { toJunit } from './junit.ts';
export { readLine, readMessages, understand } from './messages.ts';
export { traceData, traceText } from './trace.ts';
export { type StepData, type StepsData, type WindowData, closing, stepsData, stepsText } from './steps.ts';
