import { expose } from 'comlink';
import { answers } from './answers.ts';

expose(answers);
