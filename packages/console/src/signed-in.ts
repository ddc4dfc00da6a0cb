import { VekkonOperator } from '@vekkon/client/operator';
import type { EnvironmentSummary, OperatorResponse, SignInResponse } from '@vekkon/protocol';
import { computed, reactive } from 'vue';

/** Who is signed in on this browser, and which environment they look at. */

/** That somebody is signed in; the token itself lies in a cookie that no script can read. */
const signedInName = 'vekkon.signed-in';
const environmentName = 'vekkon.environment';

const state = reactive({
  isSignedIn: localStorage.getItem(signedInName) !== null,
  operator: undefined as OperatorResponse['operator'] | undefined,
  environments: [] as readonly OperatorResponse['environments'][number][],
  environment: localStorage.getItem(environmentName),
});

export const serviceUrl = window.location.origin;

export function nameOf({ game, environment }: EnvironmentSummary): string {
  return `${game}/${environment}`;
}

export function useSignedIn() {
  return {
    isSignedIn: computed(() => state.isSignedIn),
    /** Who they are, with the role that they have in the environment that is chosen. */
    operator: computed(() => {
      const here = state.environments.find((one) => nameOf(one) === state.environment);
      return state.operator && { ...state.operator, role: here?.role ?? state.operator.role };
    }),
    /** The role for what concerns the service as a whole. */
    ownRole: computed(() => state.operator?.role ?? 'none'),
    environments: computed(() => state.environments),
    environment: computed(() => state.environments.find((one) => nameOf(one) === state.environment)),
    /** The calls of whoever is signed in, about the environment that is chosen. */
    calls: computed(
      () =>
        new VekkonOperator({
          url: serviceUrl,
          environment: state.environment ?? undefined,
        }),
    ),
    keep,
    load,
    choose,
    forget,
  };
}

function keep(_signedIn: SignInResponse): void {
  state.isSignedIn = true;
  localStorage.setItem(signedInName, 'yes');
}

/** Asks the service who this is, and which environments there are. */
async function load(): Promise<void> {
  const self = await new VekkonOperator({ url: serviceUrl }).self();
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
  state.isSignedIn = false;
  state.operator = undefined;
  state.environments = [];
  localStorage.removeItem(signedInName);
}
