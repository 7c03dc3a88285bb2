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
	import ConsentForm from '$lib/ui/settings/ConsentForm.svelte';
	import Passkeys from '$lib/ui/settings/Passkeys.svelte';
	import OwnTokens from '$lib/ui/settings/OwnTokens.svelte';
	import SignIns from '$lib/ui/settings/SignIns.svelte';
	import StaffSignInForm from '$lib/ui/settings/StaffSignInForm.svelte';
	import AssignForm from '$lib/ui/settings/AssignForm.svelte';
	import { partOptions } from '$lib/ui/settings/parts';
	import RoleForm from '$lib/ui/settings/RoleForm.svelte';
	import TokenForm from '$lib/ui/settings/TokenForm.svelte';

	let { data, form } = $props();
	const errors = $derived((form && 'errors' in form ? form.errors : {}) as Record<string, string>);
	const giving = $derived({
		roles: data.staff,
		options: partOptions(data.names),
		zone: data.zone,
		now: data.clock.now
	});
	/** The role that is being changed, by its id; '' a new one. */
	let changing: string | null = $state(null);
</script>

<h1 class="sr-only">Settings</h1>
<div class="grid max-w-[1200px] grid-cols-2 gap-x-10 gap-y-6 px-[18px] py-3">
	<section>
		<h2 class="head">You</h2>
		<p class="mt-1">
			{data.caller.name}, {data.caller.role}{data.caller.part && ` ${data.caller.part}`}, signed in as {data.caller
				.login}
		</p>
		{#if data.needsFactor}<p class="bg-sandwash text-sand mt-2 rounded px-3 py-2 text-[13px]" role="status">
				Your role asks for a second factor: set one up here, or sign in with it. Until then there is nothing else for
				you.
			</p>{/if}
		{#if errors.again}
			<form
				method="POST"
				action="/sign-out?to=/settings"
				class="bg-sandwash text-sand mt-2 flex items-center gap-3 rounded px-3 py-2 text-[13px]"
			>
				<span class="flex-1" role="alert">{errors.again}</span><button class="btn btn-small">Sign in again</button>
			</form>
		{/if}
		{#if data.me && data.me.assignments.length > 1}
			<h3 class="head mt-3">Acting as <small>one at a time: what is changed is changed in that role</small></h3>
			<form method="POST" action="?/act" class="mt-1 flex flex-wrap gap-2">
				{#each data.me.assignments as a (a.id)}
					<button class="btn" name="assignment" value={a.id} aria-pressed={a.id === data.acting}
						>{a.name}{a.words && ` ${a.words}`}</button
					>
				{/each}
			</form>
			{#if errors.assignment}<p class="text-buoy mt-1 text-[12.5px]" role="alert">{errors.assignment}</p>{/if}
		{/if}
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
			{#if data.app}
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
			<Passkeys
				passkeys={data.passkeys}
				recovery={data.recovery}
				zone={data.zone}
				codes={form && 'codes' in form ? form.codes : undefined}
				factor={data.me.factor}
				{errors}
			/>
			<SignIns signIns={data.signIns} problem={errors.signIns} />
			<OwnTokens tokens={data.own} zone={data.zone} problem={errors.tokens} />
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
		{#if data.made.length || data.mayManage}
			<h3 class="head mt-3">Made here <small>bundles of rights under a name of your own</small></h3>
			{#each data.made as r (r.id)}
				<div class="border-hair2 flex items-center gap-2 border-b py-1 text-[13px]">
					<span class="font-semibold">{r.name}</span><span class="text-ink2 flex-1">{r.note}</span>
					{#if data.mayManage}
						<button
							class="btn btn-small"
							aria-expanded={changing === r.id}
							onclick={() => (changing = changing === r.id ? null : r.id)}
							aria-label="Change the role {r.name}">Change</button
						>
						<PlanButton kind="role.remove" input={{ id: r.id }} words="Remove" small label="Remove the role {r.name}" />
					{/if}
				</div>
				{#if changing === r.id}<RoleForm areas={data.areas} role={r} done={() => (changing = null)} />{/if}
			{:else}<p class="text-ink2 text-[13px]">None yet.</p>{/each}
			{#if data.mayManage}
				{#if changing === ''}<RoleForm areas={data.areas} role={null} done={() => (changing = null)} />
				{:else}<button class="btn mt-2" onclick={() => (changing = '')}>Make a role</button>{/if}
			{/if}
		{/if}
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
							<td>{o.name}</td><td>{o.login}</td><td
								>{#each o.assignments as a (a.id)}<div class="flex items-baseline gap-1.5">
										<span
											>{a.name}{#if a.words}<span class="text-ink2">&ensp;{a.words}</span
												>{/if}{#if a.ends !== null}<span class="text-ink2"
													>&ensp;until {momentWords(data.zone, a.ends)}</span
												>{/if}</span
										>
										{#if data.mayManage}<PlanButton
												kind="assignment.take"
												input={{ login: o.login, role: a.role, part: a.part }}
												words="Take"
												small
												label="Take {a.name} {a.words} from {o.name}"
											/>{/if}
									</div>{:else}<span class="text-ink3">nothing now</span>{/each}</td
							><td>{o.factor ? 'on' : 'off'}</td>
							<td class="num"
								>{#if data.mayManage}{#if o.factor}<PlanButton
											kind="operator.forget-factor"
											input={{ login: o.login }}
											words="Forget factor"
											label="Forget the second factor of {o.name}"
										/>{/if}
									{#if o.signedIn}<PlanButton
											kind="operator.end-sign-ins"
											input={{ login: o.login }}
											words="Sign out"
											label="End the sign-ins of {o.name}"
										/>{/if}
									<PlanButton
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
				<AssignForm operators={data.operators.filter((o) => !o.disabled)} {...giving} />
				<OperatorForm {...giving} />
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
					><tr
						><th>name</th><th>role</th><th>made</th><th>by</th><th>used last</th><th
							><span class="sr-only">actions</span></th
						></tr
					></thead
				>
				<tbody>
					{#each data.tokens ?? [] as t (t.name + t.made_at)}
						<tr class={t.revoked_at ? 'text-ink3' : ''}
							><td>{t.name}</td><td
								>{t.called}{#if t.words}<span class="text-ink2">&ensp;{t.words}</span>{/if}{#if t.ends !== null}<span
										class="text-ink2">&ensp;until {momentWords(data.zone, t.ends)}</span
									>{/if}</td
							><td>{momentWords(data.zone, t.made_at)}</td><td>{t.made_by}</td><td
								>{t.used_at === null ? 'never' : momentWords(data.zone, t.used_at)}</td
							><td class="num"
								>{#if t.revoked_at}revoked{:else if data.mayManage}<PlanButton
										kind="token.revoke"
										input={{ name: t.name }}
										words="Revoke"
									/>{/if}</td
							></tr
						>
					{:else}<tr><td colspan="6" class="text-ink2">No token yet.</td></tr>{/each}
				</tbody>
			</table>
			{#if data.mayManage}
				<TokenForm {...giving} roles={[...data.staff, { id: 'directory', name: 'directory' }]} />
			{/if}
		</section>
	{/if}
	{#if data.signingIn && data.mayManage}
		<section>
			<h2 class="head">How operators sign in <small>tokens end by what is set for each</small></h2>
			<StaffSignInForm policy={data.signingIn} roles={data.staff} />
			<div class="mt-3">
				<PlanButton kind="operator.end-sign-ins" input={{ login: null }} words="Sign all operators out" />
			</div>
		</section>
	{/if}
	{#if data.consent && data.mayManage}
		<section>
			<h2 class="head">
				A second pair of eyes <small>what waits until another, who may commit it too, has consented</small>
			</h2>
			<ConsentForm rules={data.consent} kinds={data.kinds} />
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
			<div class="mt-3">
				<PlanButton kind="portal.end-sign-ins" input={{ person: null }} words="Sign everybody out of the portal" />
			</div>
		</section>
	{/if}
</div>
