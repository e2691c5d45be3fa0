/** Of this build, as package.json has it. */
declare const __YUNDRO_VERSION__: string;
