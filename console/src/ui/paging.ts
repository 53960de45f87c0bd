/** How an operation asks for further pages, in words. */
export const PAGING_WORDS = {
  link_header: "follows the next link in the Link header",
  next_address: "follows the next address in the response",
  page_number: "asks for page after page by number",
  one_response: "asks for one response only, by choice",
} as const;
