import { toString as qr } from 'qrcode';

/** A second-factor address as a picture to point an app at, as a data URL. */
export const factorPicture = async (uri: string): Promise<string> =>
	`data:image/svg+xml;base64,${Buffer.from(await qr(uri, { type: 'svg', margin: 1 })).toString('base64')}`;
