CREATE TABLE "attempts" (
	"key" text PRIMARY KEY NOT NULL,
	"points" integer DEFAULT 0 NOT NULL,
	"expire" bigint
);
--> statement-breakpoint
CREATE TABLE "draft_documents" (
	"topology_id" integer NOT NULL,
	"name" text NOT NULL,
	"position" integer NOT NULL,
	"text" text NOT NULL,
	"bytes" integer NOT NULL,
	CONSTRAINT "draft_documents_topology_id_name_pk" PRIMARY KEY("topology_id","name")
);
--> statement-breakpoint
ALTER TABLE "draft_documents" ADD CONSTRAINT "draft_documents_topology_id_drafts_topology_id_fk" FOREIGN KEY ("topology_id") REFERENCES "public"."drafts"("topology_id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
INSERT INTO "draft_documents" ("topology_id", "name", "position", "text", "bytes")
	SELECT d."topology_id", e.value->>'name', e.ordinality - 1, e.value->>'text', octet_length(e.value->>'text')
	FROM "drafts" d, jsonb_array_elements(d."documents") WITH ORDINALITY e;--> statement-breakpoint
ALTER TABLE "drafts" DROP COLUMN "documents";--> statement-breakpoint
CREATE TABLE "protections" (
	"topology_id" integer NOT NULL,
	"environment" text NOT NULL,
	"set_by" integer,
	"set_at" timestamp with time zone DEFAULT now() NOT NULL,
	CONSTRAINT "protections_topology_id_environment_pk" PRIMARY KEY("topology_id","environment")
);
--> statement-breakpoint
ALTER TABLE "protections" ADD CONSTRAINT "protections_topology_id_topologies_id_fk" FOREIGN KEY ("topology_id") REFERENCES "public"."topologies"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "protections" ADD CONSTRAINT "protections_set_by_people_id_fk" FOREIGN KEY ("set_by") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "rollouts" DROP CONSTRAINT "rollouts_target_id_targets_id_fk";--> statement-breakpoint
ALTER TABLE "rollouts" ALTER COLUMN "target_id" DROP NOT NULL;--> statement-breakpoint
ALTER TABLE "rollouts" ADD CONSTRAINT "rollouts_target_id_targets_id_fk" FOREIGN KEY ("target_id") REFERENCES "public"."targets"("id") ON DELETE set null ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "rollouts" ADD COLUMN "environment" text;--> statement-breakpoint
ALTER TABLE "rollouts" ADD COLUMN "broker" text;--> statement-breakpoint
UPDATE "rollouts" r SET "environment" = t."environment", "broker" = t."broker" FROM "targets" t WHERE t."id" = r."target_id";--> statement-breakpoint
ALTER TABLE "rollouts" ALTER COLUMN "environment" SET NOT NULL;--> statement-breakpoint
ALTER TABLE "rollouts" ALTER COLUMN "broker" SET NOT NULL;--> statement-breakpoint
ALTER TABLE "rollouts" ADD COLUMN "change" integer DEFAULT 0 NOT NULL;--> statement-breakpoint
ALTER TABLE "rollouts" ADD COLUMN "broker_key" text;--> statement-breakpoint
ALTER TABLE "rollouts" ADD COLUMN "against" "bytea";--> statement-breakpoint
ALTER TABLE "rollouts" ADD COLUMN "after" integer;--> statement-breakpoint
ALTER TABLE "rollouts" ADD COLUMN "destroys" jsonb DEFAULT '[]'::jsonb NOT NULL;--> statement-breakpoint
ALTER TABLE "rollouts" ADD COLUMN "claimed_by" text;--> statement-breakpoint
ALTER TABLE "rollouts" ADD COLUMN "claimed_until" timestamp with time zone;--> statement-breakpoint
ALTER TABLE "rollouts" ADD COLUMN "stop_asked" boolean DEFAULT false NOT NULL;--> statement-breakpoint
ALTER TABLE "rollouts" ADD COLUMN "note" text;--> statement-breakpoint
ALTER TABLE "rollouts" ADD COLUMN "needs_consent" boolean DEFAULT false NOT NULL;--> statement-breakpoint
ALTER TABLE "rollouts" ADD COLUMN "consent_at" timestamp with time zone;--> statement-breakpoint
ALTER TABLE "rollouts" RENAME COLUMN "override" TO "consent_words";--> statement-breakpoint
ALTER TABLE "rollouts" RENAME COLUMN "overridden_by" TO "consent_by";--> statement-breakpoint
ALTER TABLE "rollouts" DROP CONSTRAINT "rollouts_overridden_by_people_id_fk";--> statement-breakpoint
ALTER TABLE "rollouts" ADD CONSTRAINT "rollouts_consent_by_people_id_fk" FOREIGN KEY ("consent_by") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "rollouts" ADD COLUMN "started_by" integer;--> statement-breakpoint
ALTER TABLE "rollouts" ADD CONSTRAINT "rollouts_started_by_people_id_fk" FOREIGN KEY ("started_by") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
-- what an older server was carrying out when it ended; plans of older servers do not say what they were made against
UPDATE "rollouts" SET "state" = 'interrupted', "error" = 'The server stopped while this ran. What is marked done was done; plan again to go on from there.', "finished_at" = now() WHERE "state" = 'applying';--> statement-breakpoint
DROP INDEX "rollouts_one_at_a_time";--> statement-breakpoint
CREATE UNIQUE INDEX "rollouts_one_at_a_time" ON "rollouts" USING btree ("broker_key") WHERE state = 'applying';--> statement-breakpoint
ALTER TABLE "rollout_steps" ADD COLUMN "change" integer DEFAULT 0 NOT NULL;--> statement-breakpoint
ALTER TABLE "rollout_steps" ADD COLUMN "said" text;--> statement-breakpoint
CREATE INDEX "rollout_steps_rollout_id_change_index" ON "rollout_steps" USING btree ("rollout_id","change");--> statement-breakpoint
ALTER TABLE "probes" ALTER COLUMN "agrees" DROP NOT NULL;--> statement-breakpoint
UPDATE "probes" SET "observed" = "observed" || jsonb_build_object('refused', false, 'stays', '[]'::jsonb, 'unseen',
	(SELECT coalesce(jsonb_agg(jsonb_build_object('queue', u, 'why', 'it held more messages than were looked through')), '[]'::jsonb) FROM jsonb_array_elements("observed"->'unseen') u));
