import { KeyFile } from './key-file';
import type { LaunchTarget } from './launch-target';

const ENTRY = 'Desktop Entry';

/** A menu entry: what it starts, and what it says of itself besides. */
export interface MenuEntry {
	target: Omit<LaunchTarget, 'id'>;
	/** A program that has to be there for menus to show it; empty where none is named. */
	tryExec: string;
	/** What it can do besides (“Additional applications actions”), each as a start of its own. */
	actions: Omit<LaunchTarget, 'id'>[];
}

/**
 * A menu entry by the Desktop Entry Specification 1.5 (freedesktop.org): of type Application, neither hidden nor left out of menus, with
 * its Exec line taken apart. What it starts is the app without a file: field codes for files go, and so does an option that only carries one.
 * `activated` gives the command line by which the session bus starts a name, for entries that are started over it and have no Exec.
 * Null for what starts nothing.
 */
export function readMenuEntry(
	text: string,
	path: string,
	activated: (name: string) => string | null = () => null
): MenuEntry | null {
	const file = new KeyFile(text);
	if ((file.text(ENTRY, 'Type') || 'Application') !== 'Application') return null;
	if (file.is(ENTRY, 'NoDisplay') || file.is(ENTRY, 'Hidden')) return null;
	const name = file.text(ENTRY, 'Name');
	const exec = file.text(ENTRY, 'Exec') || (file.is(ENTRY, 'DBusActivatable') ? (activated(entryId(path)) ?? '') : '');
	const icon = file.text(ENTRY, 'Icon');
	const start = startOf(exec, { name, icon, path });
	if (start === null || name === '') return null;
	const folder = plainPath(file.text(ENTRY, 'Path'));
	const terminal = file.is(ENTRY, 'Terminal');
	return {
		target: {
			name,
			...start,
			folder,
			icon: plainPath(icon),
			opens: [...new Set(file.list(ENTRY, 'MimeType'))],
			terminal,
			from: path
		},
		tryExec: plainPath(file.text(ENTRY, 'TryExec')),
		// One without a group, a name or a command of its own is none.
		actions: [...new Set(file.list(ENTRY, 'Actions'))].slice(0, ACTIONS).flatMap((action) => {
			const group = `Desktop Action ${action}`;
			const does = file.text(group, 'Name');
			const own = file.text(group, 'Icon') || icon;
			const started = startOf(file.text(group, 'Exec'), { name: does, icon: own, path });
			return does === '' || started === null
				? []
				: [{ name: `${name}: ${does}`, ...started, folder, icon: plainPath(own), opens: [], terminal, from: path }];
		})
	};
}

/** More actions than a menu would show are left out. */
const ACTIONS = 20;

/** Command and arguments of an Exec line; null where it starts nothing. */
function startOf(
	exec: string,
	entry: { name: string; icon: string; path: string }
): Pick<LaunchTarget, 'command' | 'arguments'> | null {
	const [command, ...rest] = execWords(exec, entry) ?? [];
	// A program's path holds no `=`: that would set a variable instead.
	if (command === undefined || command === '' || command.includes('=')) return null;
	return { command: plainPath(command), arguments: rest.map(quoted).join(' ') };
}

/** The command line that a D-Bus service file (`[D-BUS Service]`) names for a bus name; null for another's. */
export function serviceExec(text: string, name: string): string | null {
	const file = new KeyFile(text);
	const exec = file.text('D-BUS Service', 'Exec');
	return exec !== '' && file.text('D-BUS Service', 'Name') === name ? exec : null;
}

/** The name of an entry by its file: what a service of the session bus is called that it is started by. */
const entryId = (path: string): string => path.slice(path.lastIndexOf('/') + 1).replace(/\.desktop$/i, '');

/** Paths are written without the slash that a root begins with. */
export const plainPath = (path: string): string => path.replaceAll('\\', '/').replace(/^\//, '');

/** An argument as it is written on a line: in quotation marks where it would fall apart without. */
const quoted = (word: string): string =>
	word === '' || /[\s"'\\<>~|&;$*?#()`]/.test(word) ? `"${word.replace(/["`$\\]/g, '\\$&')}"` : word;

/**
 * The words of an Exec line (“The Exec key”): parted by blanks; whole where they stand in double quotation marks, with a backslash before
 * `"`, `` ` ``, `$` and `\` there; field codes resolved. Null for a line that no program can be started by: a quotation mark without its
 * other, a field code that there is not, or more than one file.
 */
export function execWords(exec: string, entry: { name: string; icon: string; path: string }): string[] | null {
	const words: string[] = [];
	let files = 0;
	let i = 0;
	while (i < exec.length) {
		if (/\s/.test(exec[i]!)) {
			i++;
			continue;
		}
		let word = '';
		let whole = false;
		/** Nothing but a field code for files, or an option whose value it is. */
		let carries = false;
		let expanded: string[] | null = null;
		while (i < exec.length && !/\s/.test(exec[i]!)) {
			const c = exec[i]!;
			if (c === '"') {
				whole = true;
				for (i++; exec[i] !== '"'; i++) {
					if (i >= exec.length) return null;
					if (exec[i] === '\\' && '"`$\\'.includes(exec[i + 1] ?? ' ')) i++;
					// Codes are none inside quotation marks; a doubled sign is one all the same.
					if (exec[i] === '%' && exec[i + 1] === '%') i++;
					word += exec[i];
				}
				i++;
			} else if (c === '%') {
				const code = exec[i + 1] ?? '';
				i += 2;
				if (code === '%') word += '%';
				else if ('fFuU'.includes(code) && code !== '') {
					if (++files > 1) return null;
					carries = true;
				} else if (code === 'i') expanded = entry.icon === '' ? [] : ['--icon', entry.icon];
				else if (code === 'c') word += entry.name;
				else if (code === 'k') word += entry.path;
				// Of older versions of the specification: left out.
				else if (!'dDnNvm'.includes(code) || code === '') return null;
				else if (word === '' && (i >= exec.length || /\s/.test(exec[i]!))) expanded = [];
			} else {
				word += c;
				i++;
			}
		}
		if (expanded !== null && word === '') words.push(...expanded);
		else if (carries && (word === '' || /^-{1,2}[\w-]+[=:]?$|^\/[\w-]+:$/.test(word)) && !whole) continue;
		else words.push(word);
	}
	return words;
}
