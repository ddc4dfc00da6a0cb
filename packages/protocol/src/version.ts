/** The version of Vekkon: of the service, the client and the command line alike. */
export const version = '0.1.0';
