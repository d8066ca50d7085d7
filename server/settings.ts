/** What the server is told by its environment. */
import { object, string } from 'yup';

const shape = object({
  DATABASE_URL: string().required('DATABASE_URL is missing: the address of a PostgreSQL database'),
  VONDLE_SECRET: string().required('VONDLE_SECRET is missing: what secrets are sealed with').min(16),
  VONDLE_OLD_SECRETS: string().default(''),
  VONDLE_TARGETS: string().default('public'),
  VONDLE_PROXIES: string().default(''),
  HOST: string().default('127.0.0.1'),
  PORT: string()
    .default('4580')
    .matches(/^\d{1,5}$/, 'PORT is no port'),
  /** Where people reach it, as in https://vondle.example.net. */
  VONDLE_URL: string().test('url', 'VONDLE_URL is no address such as https://host', (text) => {
    if (text === undefined) return true;
    try {
      const { protocol, pathname, search } = new URL(text);
      return ['http:', 'https:'].includes(protocol) && pathname === '/' && search === '';
    } catch {
      return false;
    }
  }),
  VONDLE_OIDC_ISSUER: string(),
  VONDLE_OIDC_CLIENT_ID: string(),
  VONDLE_OIDC_CLIENT_SECRET: string(),
  VONDLE_OIDC_NAME: string().max(60),
  VONDLE_METRICS_PORT: string().matches(/^\d{1,5}$/, 'VONDLE_METRICS_PORT is no port'),
  VONDLE_CLAIM_SECONDS: string()
    .default('15')
    .matches(/^\d{1,4}$/, 'VONDLE_CLAIM_SECONDS is no number of seconds'),
  /** `off` where another process carries the links. */
  VONDLE_LINKS: string()
    .oneOf(['on', 'off'] as const)
    .default('on'),
  VONDLE_DEMO_PASSWORD: string(),
  VONDLE_BROKER_AMQP: string(),
  VONDLE_BROKER_HTTP: string(),
  VONDLE_BROKER_MQTT: string(),
  /** The administration of the publish-subscribe service that came with the installation, with its operator's secret. */
  VONDLE_STANDIN: string(),
  /** `on` where the demo's apps run from the start. */
  VONDLE_DEMO_APPS: string()
    .oneOf(['on', 'off'] as const)
    .default('off'),
  LOG_LEVEL: string().default('info'),
});

/** @returns whom people may sign in by. @throws Error where only a part of it is said */
function openIdFrom(read: {
  VONDLE_OIDC_ISSUER?: string | undefined;
  VONDLE_OIDC_CLIENT_ID?: string | undefined;
  VONDLE_OIDC_CLIENT_SECRET?: string | undefined;
  VONDLE_OIDC_NAME?: string | undefined;
  VONDLE_URL?: string | undefined;
}) {
  const { VONDLE_OIDC_ISSUER: issuer, VONDLE_OIDC_CLIENT_ID: clientId, VONDLE_URL: url } = read;
  const clientSecret = read.VONDLE_OIDC_CLIENT_SECRET;
  if (issuer === undefined) return undefined;
  if (!URL.canParse(issuer)) throw new Error('VONDLE_OIDC_ISSUER is no address');
  if (!clientId || !clientSecret)
    throw new Error('VONDLE_OIDC_ISSUER needs VONDLE_OIDC_CLIENT_ID and VONDLE_OIDC_CLIENT_SECRET');
  if (!url) throw new Error('VONDLE_OIDC_ISSUER needs VONDLE_URL, where the issuer sends people back to');
  const name = read.VONDLE_OIDC_NAME ?? new URL(issuer).hostname;
  return { issuer, clientId, clientSecret, name, url: url.replace(/\/$/, '') };
}

const list = (text: string) =>
  text
    .split(',')
    .map((word) => word.trim())
    .filter((word) => word !== '');

/** Reads the environment. @throws Error that says what is wrong without the values, some of which are secrets */
export function settingsFrom(environment: NodeJS.ProcessEnv) {
  const read = shape.validateSync(environment, { stripUnknown: true });
  const openId = openIdFrom(read);
  return {
    databaseUrl: read.DATABASE_URL,
    secret: read.VONDLE_SECRET,
    olderSecrets: list(read.VONDLE_OLD_SECRETS),
    allowedTargets: read.VONDLE_TARGETS,
    proxies: list(read.VONDLE_PROXIES),
    host: read.HOST,
    port: Number(read.PORT),
    url: read.VONDLE_URL?.replace(/\/$/, ''),
    openId,
    metricsPort: read.VONDLE_METRICS_PORT === undefined ? undefined : Number(read.VONDLE_METRICS_PORT),
    claimMs: Math.max(1, Number(read.VONDLE_CLAIM_SECONDS)) * 1000,
    carriesLinks: read.VONDLE_LINKS === 'on',
    demoPassword: read.VONDLE_DEMO_PASSWORD,
    demoBroker:
      read.VONDLE_BROKER_AMQP && read.VONDLE_BROKER_HTTP
        ? {
            amqp: read.VONDLE_BROKER_AMQP,
            http: read.VONDLE_BROKER_HTTP,
            ...(read.VONDLE_BROKER_MQTT ? { mqtt: read.VONDLE_BROKER_MQTT } : {}),
          }
        : undefined,
    demoHosted: read.VONDLE_STANDIN ? { service: read.VONDLE_STANDIN } : undefined,
    demoApps: read.VONDLE_DEMO_APPS === 'on',
    logLevel: read.LOG_LEVEL,
  };
}

export type Settings = ReturnType<typeof settingsFrom>;
