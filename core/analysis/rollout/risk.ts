/** What a step may do to messages and to who sends and takes them. */
export type Risk = 'none' | 'interrupts' | 'loses' | 'widens access';
