/** Adds a value to the list of a key. */
export function gather<K, V>(lists: Map<K, V[]>, key: K, value: V): void {
	const list = lists.get(key);
	if (list) list.push(value);
	else lists.set(key, [value]);
}
