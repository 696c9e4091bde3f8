export declare const Idiomorph: any;
