// Elements of the page, looked up; scripts know what they look for, so they are not asked for their kind.

/** @param {string} id @returns {any} */
export const byId = (id) => document.getElementById(id);

/** @param {string} selector @returns {any} */
export const find = (selector) => document.querySelector(selector);

/** Change what Alpine has no part in, unless it is not there yet. @param {() => void} act */
export const unwatched = (act) => (/** @type {any} */ (window).Alpine ? Alpine.mutateDom(act) : act());

/** @param {string} selector @returns {any[]} */
export const all = (selector) => [...document.querySelectorAll(selector)];
