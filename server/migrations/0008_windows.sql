ALTER TABLE "rollouts" ADD COLUMN "windows" jsonb DEFAULT '[]'::jsonb NOT NULL;--> statement-breakpoint
-- what a step risks has other words now
UPDATE "rollout_steps" SET "step" = jsonb_set("step", '{risk}', CASE "step" ->> 'risk' WHEN 'some' THEN '"interrupts"'::jsonb ELSE '"loses"'::jsonb END) WHERE "step" ->> 'risk' IN ('some', 'loses messages');
