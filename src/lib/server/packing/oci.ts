import type { Blob } from './blobs';

/** OCI image specification 1.1 (opencontainers/image-spec): media types and fields that are used here. */
export const TYPES = {
	manifest: 'application/vnd.oci.image.manifest.v1+json',
	index: 'application/vnd.oci.image.index.v1+json',
	config: 'application/vnd.oci.image.config.v1+json',
	layer: 'application/vnd.oci.image.layer.v1.tar+gzip'
} as const;

export interface Descriptor extends Blob {
	mediaType: string;
	annotations?: Record<string, string>;
}

export interface Manifest {
	schemaVersion: 2;
	mediaType: string;
	config: Descriptor;
	layers: Descriptor[];
	annotations: Record<string, string>;
}

export interface ImageConfig {
	created: string;
	architecture: string;
	os: string;
	config: { Labels: Record<string, string> };
	rootfs: { type: 'layers'; diff_ids: string[] };
	history: { created: string; created_by: string }[];
}

/** Layers of the app's files carry this, with how many bytes they hold unpacked; the last layer tells what the package is. */
export const ROLE = 'sextant.role';
export const UNPACKED = 'sextant.unpacked';

export interface Layer {
	descriptor: Descriptor;
	/** Digest of the layer unpacked. */
	diffId: string;
}
