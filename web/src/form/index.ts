export { dropAllDrafts } from "./drafts";
export * from "./FormDialog";
export * from "./fields";
export * from "./InPlace";
export * from "./Leaving";
export * from "./rules";
export * from "./Sending";
export * from "./useSheet";
