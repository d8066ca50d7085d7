ALTER TABLE "rollouts" ADD COLUMN "together" integer;--> statement-breakpoint
ALTER TABLE "rollouts" ADD COLUMN "starts_after" integer;