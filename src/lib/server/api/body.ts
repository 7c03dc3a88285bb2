import { jsonBeyond, type Bounds } from '$lib/core/text/bounds';
import { InputProblem } from '../plans/kind';

/** What the body of a request may hold, within the bytes that the hooks let through. */
export const BODY_BOUNDS: Bounds = { characters: 1 << 19, depth: 20, nodes: 30_000 };

/** The most that a line somebody types into a form may have. */
const FIELD = 4000;

/**
 * The body of a request, read as JSON within bounds. Throws InputProblem where it is beyond them, SyntaxError where it is no JSON.
 * @param instead what an empty body stands for; absent: it is no JSON
 */
export async function bodyOf(request: Request, instead?: unknown): Promise<unknown> {
	const text = await request.text();
	if (text.trim() === '' && instead !== undefined) return instead;
	const much = jsonBeyond(text, BODY_BOUNDS);
	if (much !== null) throw new InputProblem([{ field: '', words: `The body is too much: ${much}.` }]);
	return JSON.parse(text) as unknown;
}

/** The fields of a form, each as text within a length; files and fields that are longer are as if nothing stood there. */
export async function formOf(request: Request): Promise<{ get(name: string): string; getAll(name: string): string[] }> {
	const form = await request.formData();
	const short = (value: FormDataEntryValue) => (typeof value === 'string' && value.length <= FIELD ? [value] : []);
	const getAll = (name: string) => form.getAll(name).slice(0, 1000).flatMap(short);
	return { getAll, get: (name) => getAll(name)[0] ?? '' };
}
