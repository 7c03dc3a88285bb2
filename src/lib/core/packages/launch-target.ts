/** What a package or image can start. Paths as in inventories. */
export interface LaunchTarget {
	id: string;
	/** For people. */
	name: string;
	command: string;
	arguments: string;
	/** Folder that it is started in; empty: that of the command. */
	folder: string;
	/** Path of its icon, or a name from the icon theme; empty without one. */
	icon: string;
	/** Types of files that it opens: `.sv1`, or `application/x-logline`. */
	opens: string[];
	/** It talks through a terminal: it is opened in one. */
	terminal: boolean;
	/** Where it was found. */
	from: string;
}
