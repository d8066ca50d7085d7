/** Lines longer than this are offered to be written on several; as core has it, which is not loaded on this side. */
export const LONG_LINE = 100;
