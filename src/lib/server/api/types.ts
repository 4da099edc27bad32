import type { Endpoints } from './endpoints';

type TypesOf<E extends Endpoints> = NonNullable<E['types']>;

/** What goes in and comes out, by `METHOD /path`: read from the endpoints themselves, so that a caller and the server can't differ. */
export type Api = { [E in Endpoints as `${E['method']} ${E['path']}`]: TypesOf<E> };

/** Every answer by its name in the description. Its JSON Schema is made from this type by `npm run schemas`. */
export type Answers = { [E in Endpoints as E['answer']]: TypesOf<E>['value'] };
