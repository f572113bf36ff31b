/** What of the viewer is used here: its package brings no types along. */
declare module "swagger-ui-dist/swagger-ui-es-bundle" {
  interface Sent {
    url: string;
    method?: string;
    userFetch?: typeof fetch;
  }
  export default function SwaggerUI(options: {
    spec: unknown;
    domNode: HTMLElement;
    requestInterceptor: (request: Sent) => Sent;
    validatorUrl: null;
    docExpansion: "none" | "list";
    defaultModelsExpandDepth: number;
    supportedSubmitMethods: string[];
  }): unknown;
}
