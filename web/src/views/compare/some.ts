/** @returns things by name, and of many how many more there are: `a, b and 15 more` */
export const someOf = (all: readonly string[]): string =>
  all.length > 6 ? `${all.slice(0, 5).join(', ')} and ${all.length - 5} more` : all.join(', ');
