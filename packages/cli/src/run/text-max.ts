/** Limit of a system for one text `NAME=value` with its end. Bytes; Linux calls it MAX_ARG_STRLEN. */
const textMax: Partial<Record<NodeJS.Platform, number>> = { linux: 131_072, win32: 32_767 }

/** Of this system; infinite where there is no such limit. */
export const longTextMax = textMax[process.platform] ?? Number.POSITIVE_INFINITY
