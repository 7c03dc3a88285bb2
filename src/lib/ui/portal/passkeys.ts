import {
	browserSupportsWebAuthn,
	startAuthentication,
	startRegistration,
	type PublicKeyCredentialCreationOptionsJSON,
	type PublicKeyCredentialRequestOptionsJSON
} from '@simplewebauthn/browser';
import type { Key } from '$lib/core/portal/say';

/** What a browser answers for a form to send on, or what to say of it. */
type Answered = { answer: string } | { problem: Key };

async function asked(ask: () => Promise<object>): Promise<Answered> {
	if (!browserSupportsWebAuthn()) return { problem: 'passkey.no-browser' };
	try {
		return { answer: JSON.stringify(await ask()) };
	} catch {
		// Somebody let it be, their device knows none, or it took too long: browsers do not say which.
		return { problem: 'passkey.cancelled' };
	}
}

/** Asks the device for a passkey that it has. */
export const shownTo = (optionsJSON: PublicKeyCredentialRequestOptionsJSON): Promise<Answered> =>
	asked(() => startAuthentication({ optionsJSON }));

/** Asks what the console needs of a new passkey, then the device for one. */
export const passkeyToKeep = (): Promise<Answered> =>
	asked(async () => {
		const response = await fetch('/passkey');
		if (!response.ok) throw new Error('nothing to ask the device for');
		return startRegistration({ optionsJSON: (await response.json()) as PublicKeyCredentialCreationOptionsJSON });
	});

/** Asks what this needs of Sextant, then the device for one of the person's passkeys, or for a new one. */
export const passkeyFor = (what: 'show' | 'add'): Promise<Answered> =>
	asked(async () => {
		const response = await fetch(`/my/passkey?for=${what}`);
		if (!response.ok) throw new Error('nothing to ask the device for');
		const options: unknown = await response.json();
		return what === 'add'
			? startRegistration({ optionsJSON: options as PublicKeyCredentialCreationOptionsJSON })
			: startAuthentication({ optionsJSON: options as PublicKeyCredentialRequestOptionsJSON });
	});
