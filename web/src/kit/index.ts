export * from "./amounts";
export * from "./fields";
export * from "./layout";
export * from "./links";
export { colour } from "./palette";
export * from "./rows";
export * from "./Stamp";
export * from "./table";
export * from "./text";
