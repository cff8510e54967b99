// Libraries that the pages load beside our own scripts.
declare const Alpine: { data(name: string, make: (...args: any[]) => Record<string, any> & ThisType<any>): void; raw<T>(value: T): T };
declare const htmx: { ajax(verb: string, path: string, context: object): Promise<void> };
