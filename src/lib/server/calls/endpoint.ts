import * as v from 'valibot';
import type { Caller } from '../identity/caller';
import type { Context } from '../context';
import { lookOf, type Look } from '../moment';
import { parseInput } from '../plans';
import { InputProblem } from '../plans/kind';
import type { Need } from './need';

/** What handlers work with: what the process that serves has. */
export interface Serving extends Context {
	/** Where everything is kept that is no row of the database. */
	dataDir: string;
	/** Tells the job runner that there is work. */
	wake(): void;
}

type Fields = v.ObjectEntries;
type Given<S extends Fields | undefined> = S extends Fields ? v.InferOutput<v.ObjectSchema<S, undefined>> : object;

/** A request, read and found right. */
export interface Ask<P extends Fields | undefined, Q extends Fields | undefined, B> {
	ctx: Serving;
	params: Given<P>;
	query: Given<Q>;
	body: B;
	/** Null where strangers may ask, and one does. */
	caller: Caller | null;
	/** By screen or by the API: what changes are recorded with. */
	via: 'screen' | 'api';
	/** What is looked at, and when; read strictly. */
	look(): Look;
	/** Writes into the record that whoever asks looks at what somebody did. */
	noteLook(words: string): void;
	request: Request;
}

/** A body that is taken as it comes. */
export interface Stream {
	stream: string;
	/** It is written to a file with a cap of its own; others hold no more than any body. */
	upload?: boolean;
}

/** What comes of a request: a value of the schema as JSON, a file of a type, or nothing. */
export type Comes = v.GenericSchema | { file: string } | null;

/** One method at one address: its route, right, validation and description follow from it. */
export interface Endpoint {
	method: 'GET' | 'POST' | 'DELETE';
	/** Below `/api/v1`: `/captures/{id}/changes`. The last parameter takes whatever is left of the address where `rest` says so. */
	path: string;
	rest?: boolean;
	/** A line for the API's description. */
	summary: string;
	need: Need;
	/** Which scope and moment are looked at, or which moment. */
	looks?: 'scope and moment' | 'moment';
	/** 'long': worked out in a thread of its own, others wait for nothing; 'here': always where everybody is; else as there is room. */
	work?: 'long' | 'here';
	params?: Fields;
	query?: Fields;
	body?: v.GenericSchema | Stream;
	/** How the body is described, where the handler reads it itself. */
	bodyAs?: v.GenericSchema;
	/** What an empty body stands for; absent: there has to be one. */
	instead?: unknown;
	/**
	 * It is given the whole estate, whatever part a caller is there for, and looks by itself whether what it shows or changes is of that. What
	 * changes something and does not say so is refused to them.
	 */
	keepsWithin?: true;
	status: 200 | 201 | 202 | 204;
	answer: Comes;
	/** Where what was made is found from now on. */
	location?: (answer: never) => string;
	handle(ask: Ask<Fields | undefined, Fields | undefined, unknown>): unknown;
}

type Answered<A extends Comes> = A extends v.GenericSchema
	? v.InferInput<A> | Response
	: A extends { file: string }
		? Response
		: void;
type BodyOf<B> = B extends v.GenericSchema ? v.InferOutput<B> : ReadableStream<Uint8Array> | null;

interface Declared<
	P extends Fields | undefined,
	Q extends Fields | undefined,
	B extends v.GenericSchema | Stream | undefined,
	A extends Comes
> extends Omit<Endpoint, 'params' | 'query' | 'body' | 'answer' | 'handle' | 'location' | 'status'> {
	status?: Endpoint['status'];
	params?: P;
	query?: Q;
	body?: B;
	answer: A;
	location?: (answer: A extends v.GenericSchema ? v.InferInput<A> : never) => string;
	handle(ask: Ask<P, Q, BodyOf<B>>): Answered<A> | Promise<Answered<A>>;
}

/** Keeps what a handler is given and answers tied to the schemas. */
export const endpoint = <
	P extends Fields | undefined = undefined,
	Q extends Fields | undefined = undefined,
	B extends v.GenericSchema | Stream | undefined = undefined,
	A extends Comes = null
>(
	e: Declared<P, Q, B, A>
): Endpoint => ({ status: e.answer === null ? 204 : 200, ...e }) as unknown as Endpoint;

export const isStream = (body: Endpoint['body']): body is Stream => body !== undefined && 'stream' in body;
export const isSchema = (comes: Comes): comes is v.GenericSchema => comes !== null && 'kind' in comes;

/**
 * Fields of an address as their schemas have them: text where nothing else is asked for, numbers read. Throws InputProblem beside
 * each that is wrong; what no field takes is passed over.
 */
export function readFields(fields: Fields, text: (name: string) => string | null): Record<string, unknown> {
	const given = Object.entries(fields).flatMap(([name, schema]) => {
		const value = text(name);
		return value === null ? [] : [[name, isNumeric(schema) && value.trim() !== '' ? Number(value) : value] as const];
	});
	return parseInput(v.object(fields), Object.fromEntries(given));
}

/** Whether a field holds a number, below whatever it is wrapped in. */
export function isNumeric(schema: v.GenericSchema | unknown): boolean {
	const s = schema as { type: string; wrapped?: unknown; pipe?: unknown[] };
	if (s.type === 'number') return true;
	return s.wrapped !== undefined
		? isNumeric(s.wrapped)
		: s.pipe !== undefined && s.pipe[0] !== s && isNumeric(s.pipe[0]);
}

/** What a caller looks at, and when. Throws InputProblem where scope or moment cannot be read: a program is not to guess. */
export function askedOf(url: URL, ctx: Pick<Context, 'clock' | 'db'>): Look {
	const look = lookOf(url, ctx);
	if (look.problems.length)
		throw new InputProblem(look.problems.map((p) => ({ field: p.field ?? 'scope', words: p.words })));
	return look;
}
