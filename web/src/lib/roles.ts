/** The roles in the words of the screen. */
export const roleWords: Record<string, string> = {
  reader: "reader",
  manager: "pricing manager",
  approver: "approver",
  administrator: "administrator",
};
