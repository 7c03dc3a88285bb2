<script lang="ts">
	import { untrack } from 'svelte';
	import { enhance } from '$app/forms';
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import { momentWords } from '$lib/core/time/zone';
	import Field from '$lib/ui/forms/Field.svelte';
	import { addressWith } from '$lib/ui/frame/address';
	import { switchTheme } from '$lib/ui/frame/theme';
	import PlanButton from '$lib/ui/plan/PlanButton.svelte';
	import PasswordForm from '$lib/ui/forms/PasswordForm.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import CodeField from '$lib/ui/forms/CodeField.svelte';

	let { data, form } = $props();
	const errors = $derived((form && 'errors' in form ? form.errors : {}) as Record<string, string>);
	const kept = $derived((form && 'kept' in form ? form.kept : {}) as Record<string, string>);
	const staff = $derived(data.roles.filter((r) => r !== 'person'));
	// As it stood when the page was opened: what is being typed is nobody else's to change.
	const heads = $state(untrack(() => ({ mail: data.heads?.mail ?? '', hook: data.heads?.hook ?? '' })));
	// A drafted plan comes up in the tray.
	$effect(() => {
		const id = form && 'plan' in form ? form.plan : null;
		if (id && page.url.searchParams.get('plan') !== String(id))
			void goto(addressWith(page.url, { plan: id }), { keepFocus: true, noScroll: true });
	});
</script>

<h1 class="sr-only">Settings</h1>
<div class="grid max-w-[1200px] grid-cols-2 gap-x-10 gap-y-6 px-[18px] py-3">
	<section>
		<h2 class="head">You</h2>
		<p class="mt-1">{data.caller.name}, {data.caller.role}, signed in as {data.caller.login}</p>
		<div class="mt-2 flex gap-2">
			<button class="btn" onclick={switchTheme}>Day or night theme</button>
			<form method="POST" action="/sign-out"><button class="btn">Sign out</button></form>
		</div>
		{#if data.me}
			<h3 class="head mt-4">Password <small>changing it signs you out everywhere else</small></h3>
			{#if form && 'changed' in form}<p class="text-kelp mt-1">
					It is changed. Everywhere else you have been signed out.
				</p>{/if}
			<PasswordForm problems={errors} />
			<h3 class="head mt-4">Second factor <small>a code from an app, by TOTP (RFC 6238)</small></h3>
			{#if data.me.factor}
				<p class="text-kelp mt-1">It is on.</p>
				<form method="POST" action="?/drop" use:enhance class="mt-1 flex items-start justify-start gap-2">
					<CodeField label="Code" problem={errors.code} />
					<button class="btn mt-[20px]">Switch it off</button>
				</form>
			{:else if form && 'factor' in form && form.factor}
				<img src={form.factor.picture} alt="QR code of the secret" class="mt-2 h-36 w-36 bg-white p-1" />
				<p class="font-mono text-[12.5px]">{form.factor.secret}</p>
				<form method="POST" action="?/confirm" use:enhance class="mt-1 flex items-start justify-start gap-2">
					<CodeField label="Code that the app shows" problem={errors.code} />
					<button class="btn btn-go mt-[20px]">Switch it on</button>
				</form>
			{:else}
				<p class="text-ink2 mt-1">It is off. {errors.code ?? ''}</p>
				<form method="POST" action="?/factor" use:enhance class="mt-1"><button class="btn">Set it up</button></form>
			{/if}
		{/if}
	</section>
	<section>
		<h2 class="head">Roles <small>what each may do: read, draft plans, commit them</small></h2>
		<table class="grid-table mt-1">
			<thead
				><tr
					><th><span class="sr-only">actions</span></th>{#each data.roles as r (r)}<th>{r}</th>{/each}</tr
				></thead
			>
			<tbody
				>{#each data.rights as row (row.area)}<tr
						><td>{row.area}</td>{#each row.levels as l, i (i)}<td
								class={l === 'none' ? 'text-ink3' : l === 'commit' ? 'font-semibold' : 'text-ink2'}
								>{l === 'none' ? '–' : l}</td
							>{/each}</tr
					>{/each}</tbody
			>
		</table>
	</section>
	{#if data.operators}
		<section>
			<h2 class="head">Operators</h2>
			<table class="grid-table mt-1">
				<thead
					><tr
						><th>name</th><th>login</th><th>role</th><th>second factor</th><th><span class="sr-only">actions</span></th
						></tr
					></thead
				>
				<tbody>
					{#each data.operators as o (o.id)}
						<tr class={o.disabled ? 'text-ink3' : ''}>
							<td>{o.name}</td><td>{o.login}</td><td>{o.role}</td><td>{o.factor ? 'on' : 'off'}</td>
							<td class="num"
								>{#if data.mayManage}<PlanButton
										kind="operator.disable"
										input={{ login: o.login, disabled: !o.disabled }}
										words={o.disabled ? 'Open again' : 'Shut'}
									/>{/if}</td
							>
						</tr>
					{/each}
				</tbody>
			</table>
			{#if data.mayManage}
				<h3 class="head mt-3">Add an operator</h3>
				<form
					method="POST"
					action="?/operator"
					use:enhance={() =>
						({ update }) =>
							update({ reset: false })}
					class="grid grid-cols-2 gap-x-3"
				>
					<TextField label="Login" problem={errors.login} name="login" value={kept.login ?? ''} autocomplete="off" />
					<TextField
						label="Name"
						problem={kept.token === undefined ? errors.name : undefined}
						name="name"
						value={kept.name ?? ''}
						autocomplete="off"
					/>
					<Field label="Role" problem={errors.role}
						>{#snippet children(p)}<select {...p} class="field" name="role"
								>{#each staff as r (r)}<option selected={r === kept.role}>{r}</option>{/each}</select
							>{/snippet}</Field
					>
					<TextField
						label="First password"
						problem={errors.password}
						type="password"
						name="password"
						autocomplete="new-password"
					/>
					<button class="btn justify-self-start">Plan the operator</button>
				</form>
			{/if}
		</section>
		<section>
			<h2 class="head">
				API tokens <small
					>the API is described at <a class="link" href="/api/v1/openapi.json">/api/v1/openapi.json</a></small
				>
			</h2>
			<table class="grid-table mt-1">
				<thead
					><tr><th>name</th><th>role</th><th>made</th><th>by</th><th><span class="sr-only">actions</span></th></tr
					></thead
				>
				<tbody>
					{#each data.tokens ?? [] as t (t.name + t.made_at)}
						<tr class={t.revoked_at ? 'text-ink3' : ''}
							><td>{t.name}</td><td>{t.role}</td><td>{momentWords(data.zone, t.made_at)}</td><td>{t.made_by}</td><td
								class="num"
								>{#if t.revoked_at}revoked{:else if data.mayManage}<PlanButton
										kind="token.revoke"
										input={{ name: t.name }}
										words="Revoke"
									/>{/if}</td
							></tr
						>
					{:else}<tr><td colspan="5" class="text-ink2">No token yet.</td></tr>{/each}
				</tbody>
			</table>
			{#if data.mayManage}
				{#if form && 'secret' in form && form.secret}
					<p class="bg-sandwash mt-2 rounded px-3 py-2 text-[13px]">
						The secret, shown this once; it works as soon as the plan is committed: <code class="font-mono break-all"
							>{form.secret}</code
						>
					</p>
				{/if}
				<form
					method="POST"
					action="?/token"
					use:enhance={() =>
						({ update }) =>
							update({ reset: false })}
					class="mt-2 flex items-start justify-start gap-2"
				>
					<TextField
						label="Name"
						problem={errors.name && kept.token !== undefined ? errors.name : undefined}
						name="token"
						value={kept.token ?? ''}
					/>
					<Field label="Role" problem={undefined}
						>{#snippet children(p)}<select {...p} class="field" name="tokenRole"
								>{#each staff as r (r)}<option>{r}</option>{/each}</select
							>{/snippet}</Field
					>
					<button class="btn mt-[20px]">Plan a token</button>
				</form>
			{/if}
			<p class="text-buoy text-[12.5px]" role="alert">{errors.form ?? ''}</p>
		</section>
	{/if}
	{#if data.heads && data.mayManage}
		<section>
			<h2 class="head">
				Change log <small>signed heads of it, kept elsewhere, show that nothing was cut off; once an hour at most</small
				>
			</h2>
			<div class="mt-1 grid grid-cols-2 gap-x-3">
				<Field label="By mail to" hint="empty: to nobody" problem={undefined}
					>{#snippet children(p)}<input {...p} class="field" bind:value={heads.mail} />{/snippet}</Field
				>
				<Field label="To a web hook" hint="https://…; empty: to none" problem={undefined}
					>{#snippet children(p)}<input {...p} class="field" bind:value={heads.hook} />{/snippet}</Field
				>
			</div>
			<PlanButton kind="record.heads" input={{ ...heads }} words="Plan where they are sent" />
		</section>
	{/if}
</div>
