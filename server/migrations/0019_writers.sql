CREATE TABLE "draft_writers" (
	"draft_id" integer NOT NULL,
	"person_id" integer NOT NULL,
	"at" timestamp with time zone DEFAULT now() NOT NULL,
	CONSTRAINT "draft_writers_draft_id_person_id_pk" PRIMARY KEY("draft_id","person_id")
);
--> statement-breakpoint
CREATE TABLE "revision_writers" (
	"revision_id" integer NOT NULL,
	"person_id" integer NOT NULL,
	CONSTRAINT "revision_writers_revision_id_person_id_pk" PRIMARY KEY("revision_id","person_id")
);
--> statement-breakpoint
ALTER TABLE "revisions" ADD COLUMN "proposed_by" integer;--> statement-breakpoint
ALTER TABLE "draft_writers" ADD CONSTRAINT "draft_writers_draft_id_drafts_id_fk" FOREIGN KEY ("draft_id") REFERENCES "public"."drafts"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "draft_writers" ADD CONSTRAINT "draft_writers_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "revision_writers" ADD CONSTRAINT "revision_writers_revision_id_revisions_id_fk" FOREIGN KEY ("revision_id") REFERENCES "public"."revisions"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "revision_writers" ADD CONSTRAINT "revision_writers_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "revisions" ADD CONSTRAINT "revisions_proposed_by_people_id_fk" FOREIGN KEY ("proposed_by") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
INSERT INTO "revision_writers" ("revision_id", "person_id") SELECT "id", "author_id" FROM "revisions";--> statement-breakpoint
INSERT INTO "draft_writers" ("draft_id", "person_id", "at")
SELECT "id", "updated_by", "updated_at" FROM "drafts" WHERE "updated_by" IS NOT NULL
UNION SELECT "id", "owner_id", "created_at" FROM "drafts" WHERE "owner_id" IS NOT NULL AND "owner_id" IS DISTINCT FROM "updated_by";
