// Libraries that the pages load beside our own scripts.
type State = Record<string, any> & ThisType<any>;
declare const Alpine: { data(name: string, make: (...args: any[]) => State): void; raw<T>(value: T): T };
declare const htmx: { ajax(verb: string, path: string, context: object): Promise<void> };
