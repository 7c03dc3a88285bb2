import { opened } from '$lib/ui/frame/parcel';

export const load = ({ data }) => ({ ...data, rows: opened(data.rows) });
