declare module 'qlobber' {
  export class Qlobber<T> {
    constructor(options?: Record<string, unknown>);
    add(pattern: string, value: T): this;
    match(key: string): T[];
  }
}
