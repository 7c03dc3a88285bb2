<script lang="ts">
	import { enhance } from '$app/forms';
	import { momentWords } from '$lib/core/time/zone';
	import { switchTheme } from '$lib/ui/frame/theme';
	import PlanButton from '$lib/ui/plan/PlanButton.svelte';
	import PasswordForm from '$lib/ui/forms/PasswordForm.svelte';
	import CodeField from '$lib/ui/forms/CodeField.svelte';
	import DirectoryForm from '$lib/ui/settings/DirectoryForm.svelte';
	import HeadsForm from '$lib/ui/settings/HeadsForm.svelte';
	import OperatorForm from '$lib/ui/settings/OperatorForm.svelte';
	import SignInForm from '$lib/ui/settings/SignInForm.svelte';
	import PortalForm from '$lib/ui/settings/PortalForm.svelte';
	import TokenForm from '$lib/ui/settings/TokenForm.svelte';

	let { data, form } = $props();
	const errors = $derived((form && 'errors' in form ? form.errors : {}) as Record<string, string>);
	const staff = $derived(data.roles.filter((r) => r !== 'person' && r !== 'directory'));
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
				<OperatorForm roles={staff} />
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
				<TokenForm roles={[...staff, 'directory']} />
			{/if}
		</section>
	{/if}
	{#if data.heads && data.mayManage}
		<section>
			<h2 class="head">
				Change log <small>signed heads of it, kept elsewhere, show that nothing was cut off; once an hour at most</small
				>
			</h2>
			<HeadsForm heads={data.heads} />
		</section>
	{/if}
	{#if data.directory}
		<section>
			<h2 class="head">
				Directory <small>what moves more people to other teams at once waits on Today until somebody has looked</small>
			</h2>
			<DirectoryForm percent={data.directory.percent} />
		</section>
		<section>
			<h2 class="head">
				Portal <small>links that are sent to people begin with its address; how they sign in</small>
			</h2>
			<PortalForm address={data.directory.portal} usual={data.directory.served} />
			<SignInForm policy={data.directory.signIn} employments={data.directory.employments} />
		</section>
	{/if}
</div>
