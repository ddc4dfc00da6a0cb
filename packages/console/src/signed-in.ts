import { VekkonOperator } from '@vekkon/client/operator';
import type { EnvironmentSummary, OperatorProfile, SignInResponse } from '@vekkon/protocol';
import { computed, reactive } from 'vue';

/** Who is signed in on this browser, and which environment they look at. */

const tokenName = 'vekkon.token';
const environmentName = 'vekkon.environment';

const state = reactive({
  token: localStorage.getItem(tokenName),
  operator: undefined as OperatorProfile | undefined,
  environments: [] as readonly EnvironmentSummary[],
  environment: localStorage.getItem(environmentName),
});

export const serviceUrl = window.location.origin;

export function nameOf({ game, environment }: EnvironmentSummary): string {
  return `${game}/${environment}`;
}

export function useSignedIn() {
  return {
    isSignedIn: computed(() => state.token !== null),
    operator: computed(() => state.operator),
    environments: computed(() => state.environments),
    environment: computed(() => state.environments.find((one) => nameOf(one) === state.environment)),
    /** The calls of whoever is signed in, about the environment that is chosen. */
    calls: computed(
      () =>
        new VekkonOperator({
          url: serviceUrl,
          token: state.token ?? '',
          environment: state.environment ?? undefined,
        }),
    ),
    keep,
    load,
    choose,
    forget,
  };
}

function keep({ token, operator }: SignInResponse): void {
  state.token = token;
  state.operator = operator;
  localStorage.setItem(tokenName, token);
}

/** Asks the service who this is, and which environments there are. */
async function load(): Promise<void> {
  const self = await new VekkonOperator({ url: serviceUrl, token: state.token ?? '' }).self();
  state.operator = self.operator;
  state.environments = self.environments;
  const isKnown = self.environments.some((one) => nameOf(one) === state.environment);
  const [first] = self.environments;
  if (!isKnown && first !== undefined) choose(nameOf(first));
}

function choose(environment: string): void {
  state.environment = environment;
  localStorage.setItem(environmentName, environment);
}

function forget(): void {
  state.token = null;
  state.operator = undefined;
  state.environments = [];
  localStorage.removeItem(tokenName);
}
