CREATE SCHEMA IF NOT EXISTS "standin";
--> statement-breakpoint
CREATE TABLE "standin"."messages" (
	"id" bigint PRIMARY KEY GENERATED ALWAYS AS IDENTITY (sequence name "standin"."messages_id_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 9223372036854775807 START WITH 1 CACHE 1),
	"store" integer NOT NULL,
	"bare" "bytea" NOT NULL,
	"annotations" "bytea",
	"durable" boolean NOT NULL,
	"priority" smallint,
	"group" text,
	"arrived_at" timestamp with time zone DEFAULT now() NOT NULL,
	"ready_at" timestamp with time zone DEFAULT now() NOT NULL,
	"expires_at" timestamp with time zone,
	"tries" integer DEFAULT 0 NOT NULL,
	"lease" uuid,
	"died" jsonb,
	"rounds" smallint DEFAULT 0 NOT NULL
);
--> statement-breakpoint
CREATE TABLE "standin"."repeats" (
	"topic" integer NOT NULL,
	"message_id" text NOT NULL,
	"until" timestamp with time zone NOT NULL,
	CONSTRAINT "repeats_topic_message_id_pk" PRIMARY KEY("topic","message_id")
);
--> statement-breakpoint
CREATE TABLE "standin"."services" (
	"one" boolean PRIMARY KEY DEFAULT true NOT NULL,
	"id" uuid DEFAULT gen_random_uuid() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "standin"."spaces" (
	"name" text PRIMARY KEY NOT NULL,
	"tenant" text NOT NULL,
	"access" text NOT NULL,
	"change" bigint DEFAULT 0 NOT NULL
);
--> statement-breakpoint
CREATE TABLE "standin"."takers" (
	"id" uuid PRIMARY KEY NOT NULL,
	"store" integer NOT NULL,
	"user" text NOT NULL,
	"seen_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "standin"."tenants" (
	"name" text PRIMARY KEY NOT NULL,
	"secret" "bytea" NOT NULL
);
--> statement-breakpoint
CREATE TABLE "standin"."things" (
	"id" integer PRIMARY KEY GENERATED ALWAYS AS IDENTITY (sequence name "standin"."things_id_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 2147483647 START WITH 1 CACHE 1),
	"space" text NOT NULL,
	"kind" text NOT NULL,
	"name" text NOT NULL,
	"settings" jsonb NOT NULL
);
--> statement-breakpoint
CREATE TABLE "standin"."users" (
	"space" text NOT NULL,
	"name" text NOT NULL,
	"tenant" text NOT NULL,
	"acts_as" text NOT NULL,
	"secret" "bytea" NOT NULL,
	CONSTRAINT "users_space_name_pk" PRIMARY KEY("space","name")
);
--> statement-breakpoint
ALTER TABLE "standin"."messages" ADD CONSTRAINT "messages_store_things_id_fk" FOREIGN KEY ("store") REFERENCES "standin"."things"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "standin"."repeats" ADD CONSTRAINT "repeats_topic_things_id_fk" FOREIGN KEY ("topic") REFERENCES "standin"."things"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "standin"."spaces" ADD CONSTRAINT "spaces_tenant_tenants_name_fk" FOREIGN KEY ("tenant") REFERENCES "standin"."tenants"("name") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "standin"."takers" ADD CONSTRAINT "takers_store_things_id_fk" FOREIGN KEY ("store") REFERENCES "standin"."things"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "standin"."things" ADD CONSTRAINT "things_space_spaces_name_fk" FOREIGN KEY ("space") REFERENCES "standin"."spaces"("name") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "standin"."users" ADD CONSTRAINT "users_space_spaces_name_fk" FOREIGN KEY ("space") REFERENCES "standin"."spaces"("name") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "messages_in_order" ON "standin"."messages" USING btree ("store","id");--> statement-breakpoint
CREATE INDEX "messages_by_group" ON "standin"."messages" USING btree ("store","group","id") WHERE "standin"."messages"."group" is not null;--> statement-breakpoint
CREATE INDEX "messages_expiring" ON "standin"."messages" USING btree ("expires_at") WHERE "standin"."messages"."expires_at" is not null;--> statement-breakpoint
CREATE INDEX "repeats_until" ON "standin"."repeats" USING btree ("until");--> statement-breakpoint
CREATE INDEX "takers_of_store" ON "standin"."takers" USING btree ("store");--> statement-breakpoint
CREATE UNIQUE INDEX "things_by_name" ON "standin"."things" USING btree ("space",(case when "kind" = 'statement' then 1 else 0 end),"name");