CREATE TABLE "invitations" (
	"id" integer PRIMARY KEY GENERATED ALWAYS AS IDENTITY (sequence name "invitations_id_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 2147483647 START WITH 1 CACHE 1),
	"topology_id" integer NOT NULL,
	"role" text NOT NULL,
	"key_hash" text NOT NULL,
	"words" text NOT NULL,
	"created_by" integer NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"expires_at" timestamp with time zone NOT NULL,
	"used_by" integer,
	"used_at" timestamp with time zone,
	CONSTRAINT "invitations_key_hash_unique" UNIQUE("key_hash")
);
--> statement-breakpoint
CREATE TABLE "presence" (
	"tab" text PRIMARY KEY NOT NULL,
	"draft_id" integer NOT NULL,
	"person_id" integer NOT NULL,
	"seen_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
ALTER TABLE "draft_documents" DROP CONSTRAINT "draft_documents_topology_id_drafts_topology_id_fk";
--> statement-breakpoint
ALTER TABLE "draft_documents" DROP CONSTRAINT "draft_documents_topology_id_name_pk";--> statement-breakpoint
ALTER TABLE "drafts" DROP CONSTRAINT "drafts_pkey";--> statement-breakpoint
ALTER TABLE "drafts" ADD COLUMN "id" integer PRIMARY KEY NOT NULL GENERATED ALWAYS AS IDENTITY (sequence name "drafts_id_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 2147483647 START WITH 1 CACHE 1);--> statement-breakpoint
ALTER TABLE "drafts" ADD COLUMN "name" text NOT NULL DEFAULT 'main';--> statement-breakpoint
ALTER TABLE "drafts" ALTER COLUMN "name" DROP DEFAULT;--> statement-breakpoint
-- what every topology had is its main draft
ALTER TABLE "drafts" ADD COLUMN "main" boolean DEFAULT true NOT NULL;--> statement-breakpoint
ALTER TABLE "drafts" ALTER COLUMN "main" SET DEFAULT false;--> statement-breakpoint
ALTER TABLE "drafts" ADD COLUMN "owner_id" integer;--> statement-breakpoint
ALTER TABLE "drafts" ADD COLUMN "created_at" timestamp with time zone DEFAULT now() NOT NULL;--> statement-breakpoint
ALTER TABLE "draft_documents" ADD COLUMN "draft_id" integer;--> statement-breakpoint
UPDATE "draft_documents" dd SET "draft_id" = d."id" FROM "drafts" d WHERE d."topology_id" = dd."topology_id";--> statement-breakpoint
ALTER TABLE "draft_documents" ALTER COLUMN "draft_id" SET NOT NULL;--> statement-breakpoint
ALTER TABLE "draft_documents" ADD CONSTRAINT "draft_documents_draft_id_name_pk" PRIMARY KEY("draft_id","name");--> statement-breakpoint
-- who could change everything is an owner now: nobody else could let others in
UPDATE "members" SET "role" = 'owner' WHERE "role" = 'architect';--> statement-breakpoint
ALTER TABLE "invitations" ADD CONSTRAINT "invitations_topology_id_topologies_id_fk" FOREIGN KEY ("topology_id") REFERENCES "public"."topologies"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "invitations" ADD CONSTRAINT "invitations_created_by_people_id_fk" FOREIGN KEY ("created_by") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "invitations" ADD CONSTRAINT "invitations_used_by_people_id_fk" FOREIGN KEY ("used_by") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "presence" ADD CONSTRAINT "presence_draft_id_drafts_id_fk" FOREIGN KEY ("draft_id") REFERENCES "public"."drafts"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "presence" ADD CONSTRAINT "presence_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "presence_draft_id_index" ON "presence" USING btree ("draft_id");--> statement-breakpoint
ALTER TABLE "draft_documents" ADD CONSTRAINT "draft_documents_draft_id_drafts_id_fk" FOREIGN KEY ("draft_id") REFERENCES "public"."drafts"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "drafts" ADD CONSTRAINT "drafts_owner_id_people_id_fk" FOREIGN KEY ("owner_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE UNIQUE INDEX "drafts_one_main" ON "drafts" USING btree ("topology_id") WHERE main;--> statement-breakpoint
ALTER TABLE "draft_documents" DROP COLUMN "topology_id";--> statement-breakpoint
ALTER TABLE "drafts" ADD CONSTRAINT "drafts_topology_id_name_unique" UNIQUE("topology_id","name");