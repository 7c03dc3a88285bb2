/**
 * A value on its way to the page as one text. What everybody sees alike is put into words once and sent to many; the framework would go
 * through every number of it for each of them. It holds what JSON can: no undefined, no date, no map.
 */
export type Parcel<T> = string & { readonly holds?: T };

export const parcel = <T>(value: T): Parcel<T> => JSON.stringify(value);

export const opened = <T>(text: Parcel<T>): T => JSON.parse(text) as T;
