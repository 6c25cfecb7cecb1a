/** What the address says now. What a page was last drawn from may be older: of two changes in quick succession the second
 * would take the first back. */
export const addressNow = (): URLSearchParams => new URLSearchParams(window.location.search);
