<script lang="ts">
	import { onMount, untrack } from 'svelte';
	import { autocompletion, completionKeymap, type CompletionContext } from '@codemirror/autocomplete';
	import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
	import { yaml } from '@codemirror/lang-yaml';
	import { bracketMatching, HighlightStyle, indentOnInput, syntaxHighlighting } from '@codemirror/language';
	import { tags } from '@lezer/highlight';
	import { lintGutter, setDiagnostics, type Diagnostic } from '@codemirror/lint';
	import { EditorState } from '@codemirror/state';
	import { EditorView, keymap, lineNumbers } from '@codemirror/view';
	import { completionsAt, type TextProblem } from '$lib/core/images/sheet-text';
	import type { Supplies } from '$lib/core/images/sheet';
	import type { SheetReport } from '$lib/server/images';

	interface Props {
		text: string;
		/** Where it cannot be read. */
		problems: TextProblem[];
		remarks: TextProblem[];
		report: SheetReport;
		supplies: Supplies;
		readonly: boolean;
		change: (text: string) => void;
	}
	let { text, problems, remarks, report, supplies, readonly, change }: Props = $props();
	let host: HTMLDivElement;
	let editor: EditorView | null = $state.raw(null);

	const all = $derived(
		problems.length
			? problems.map((p) => ({ ...p, severity: 'error' as const }))
			: [
					...report.problems.flatMap((p) =>
						p.line === undefined
							? []
							: [{ line: p.line, column: p.column ?? 1, message: p.fact.words, severity: 'error' as const }]
					),
					...remarks.map((r) => ({ ...r, severity: 'info' as const }))
				]
	);

	const colours = HighlightStyle.define([
		{ tag: [tags.propertyName, tags.definition(tags.propertyName)], color: 'var(--sea)' },
		{ tag: [tags.string, tags.content], color: 'var(--ink)' },
		{ tag: tags.comment, color: 'var(--ink3)' },
		{ tag: [tags.separator, tags.punctuation, tags.squareBracket, tags.brace], color: 'var(--ink2)' }
	]);

	onMount(() => {
		editor = new EditorView({
			parent: host,
			state: EditorState.create({
				doc: untrack(() => text),
				extensions: [
					lineNumbers(),
					history(),
					indentOnInput(),
					bracketMatching(),
					// It grows with its text and wraps: the page scrolls, not a region inside it.
					EditorView.lineWrapping,
					yaml(),
					syntaxHighlighting(colours),
					lintGutter(),
					autocompletion({ override: [complete] }),
					// Tab leaves the text: nobody is caught in it.
					keymap.of([...completionKeymap, ...defaultKeymap, ...historyKeymap]),
					EditorState.readOnly.of(untrack(() => readonly)),
					EditorView.contentAttributes.of({ 'aria-label': 'Build sheet as text' }),
					EditorView.updateListener.of((u) => u.docChanged && change(u.state.doc.toString())),
					EditorView.theme({
						'&': { fontSize: '13px', backgroundColor: 'var(--sheet)', color: 'var(--ink)' },
						'.cm-content': { fontFamily: 'var(--font-mono)', caretColor: 'var(--ink)' },
						'.cm-gutters': { backgroundColor: 'var(--shade)', color: 'var(--ink3)', border: 'none' },
						'.cm-tooltip': { backgroundColor: 'var(--sheet)', color: 'var(--ink)', borderColor: 'var(--hair)' },
						'.cm-tooltip-autocomplete > ul > li[aria-selected]': {
							backgroundColor: 'var(--sea)',
							color: 'var(--onsea)'
						}
					})
				]
			})
		});
		return () => editor?.destroy();
	});
	function complete(context: CompletionContext) {
		const { from, options } = completionsAt(context.state.doc.toString(), context.pos, supplies);
		if (
			options.length === 0 ||
			(!context.explicit && from === context.pos && !/: $/.test(context.state.sliceDoc(Math.max(0, from - 2), from)))
		)
			return null;
		return {
			from,
			options: options.map((o) => ({ label: o.label, detail: o.detail, ...(o.apply ? { apply: o.apply } : {}) }))
		};
	}
	$effect(() => {
		if (!editor) return;
		const { doc } = editor.state;
		const diagnostics = all.map((p): Diagnostic => {
			const line = doc.line(Math.min(doc.lines, Math.max(1, p.line)));
			const from = Math.min(line.to, line.from + p.column - 1);
			return { from, to: Math.max(from, line.to), severity: p.severity, message: p.message };
		});
		editor.dispatch(setDiagnostics(editor.state, diagnostics));
	});
</script>

<div bind:this={host} class="border-hair mt-2 overflow-hidden rounded-lg border"></div>
{#if all.length}
	<ul class="mt-1.5 text-[13px]" aria-label="Problems of the text">
		{#each all as p, i (i)}
			<li class={p.severity === 'error' ? 'text-buoy' : 'text-ink2'}>Line {p.line}, column {p.column}: {p.message}</li>
		{/each}
	</ul>
{/if}
<p class="text-ink3 mt-1 text-[12.5px]">
	Ctrl Space completes kinds, parameters and values. Escape, then Tab, leaves the text.
</p>
