declare module 'pdfmake' {
	/** What Sextant uses of it: it comes without types of its own. */
	interface PdfMake {
		setFonts(fonts: Record<string, { normal: string; bold: string }>): void;
		setUrlAccessPolicy(may: (url: string) => boolean): void;
		setLocalAccessPolicy(may: (path: string) => boolean): void;
		createPdf(document: Record<string, unknown>): { getBuffer(): Promise<Buffer> };
	}
	const pdfmake: PdfMake;
	export default pdfmake;
}
