/** The path under which the service is reached, as its page says it: empty, or like `/records`. */
export const basePath: string = (document.querySelector("base")?.getAttribute("href") ?? "/").replace(/\/$/, "");
