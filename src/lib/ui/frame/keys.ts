import { arrive } from './arrive';
import { STAGES } from './stages';

/** What keys of the frame bring about. */
interface Does {
	menu(): void;
	menuOpen(): boolean;
	commit(): unknown;
	narrow(): void;
	nudge(by: number): void;
	review(): void;
	help(): void;
	/** Closes what stands furthest in front. */
	close(): void;
}

/** The keys that work everywhere: what is typed into a field is left alone, but for the menu and the commit. */
export function keysOf(does: Does): (e: KeyboardEvent) => void {
	const plain: Record<string, () => void> = {
		'[': () => does.nudge(-1),
		']': () => does.nudge(1),
		l: () => void arrive({ at: null }, { keepFocus: true }),
		w: () => document.getElementById('why')?.scrollIntoView(),
		p: does.review,
		j: () => rowBy(1),
		k: () => rowBy(-1),
		'?': does.help,
		Escape: does.close
	};
	return (e) => {
		const command = e.ctrlKey || e.metaKey;
		if (command && e.key.toLowerCase() === 'k') {
			e.preventDefault();
			does.menu();
			return;
		}
		if (command && e.key === 'Enter') {
			if (does.commit() !== undefined) e.preventDefault();
			return;
		}
		const target = e.target as HTMLElement;
		const typing = target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName);
		if (command || e.altKey || typing || does.menuOpen()) return;
		const stage = STAGES.find((s) => s.key === e.key);
		if (stage) void arrive({}, {}, stage.path);
		else if (e.key === '/') {
			e.preventDefault();
			does.narrow();
		} else if (Object.hasOwn(plain, e.key)) plain[e.key]!();
	};
}

/** To the next or previous thing of a view that is marked as a row. */
function rowBy(by: number): void {
	const rows = [...document.querySelectorAll<HTMLElement>('main [role="table"][tabindex="0"], main [data-row]')];
	if (rows.length === 0) return;
	const i = rows.indexOf(document.activeElement as HTMLElement);
	rows[Math.min(rows.length - 1, Math.max(0, i + by))]?.focus();
}
