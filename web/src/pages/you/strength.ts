import { ZxcvbnFactory } from "@zxcvbn-ts/core";
import { dictionary, adjacencyGraphs as graphs } from "@zxcvbn-ts/language-common";

const judge = new ZxcvbnFactory({ dictionary, graphs });

/** How hard a password is to guess, 0 to 4; `known` are words that somebody who knows its owner would try. */
export const strengthOf = (password: string, known: string[]) => judge.check(password, known).score;
