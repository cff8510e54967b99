/* Types for the checker; nothing here runs. */

/**
 * A part of the workspace: its fields and methods; `this` is the whole.
 * @typedef {Record<string, any> & ThisType<Record<string, any>>} Part
 */

export {};
