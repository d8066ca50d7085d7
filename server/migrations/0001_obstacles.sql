ALTER TABLE "rollouts" ADD COLUMN "obstacles" jsonb DEFAULT '[]'::jsonb NOT NULL;--> statement-breakpoint
ALTER TABLE "rollouts" ADD COLUMN "override" text;--> statement-breakpoint
ALTER TABLE "rollouts" ADD COLUMN "overridden_by" integer;--> statement-breakpoint
ALTER TABLE "rollouts" ADD CONSTRAINT "rollouts_overridden_by_people_id_fk" FOREIGN KEY ("overridden_by") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;