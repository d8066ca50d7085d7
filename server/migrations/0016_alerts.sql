CREATE TABLE "alerts" (
	"id" integer PRIMARY KEY GENERATED ALWAYS AS IDENTITY (sequence name "alerts_id_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 2147483647 START WITH 1 CACHE 1),
	"topology_id" integer NOT NULL,
	"environment" text NOT NULL,
	"rule" text NOT NULL,
	"broker" text NOT NULL,
	"name" text NOT NULL,
	"about" text NOT NULL,
	"words" text NOT NULL,
	"since" timestamp with time zone NOT NULL,
	"went_off_at" timestamp with time zone NOT NULL,
	"ended_at" timestamp with time zone
);
--> statement-breakpoint
CREATE TABLE "passed" (
	"id" bigint PRIMARY KEY GENERATED ALWAYS AS IDENTITY (sequence name "passed_id_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 9223372036854775807 START WITH 1 CACHE 1),
	"topology_id" integer NOT NULL,
	"environment" text NOT NULL,
	"place" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"same" text NOT NULL,
	"key" text NOT NULL,
	"message_id" text,
	"correlation_id" text,
	"who" text,
	"type" text,
	"died" text,
	"size" integer NOT NULL,
	"headers" jsonb,
	"body" text,
	"until" timestamp with time zone NOT NULL
);
--> statement-breakpoint
ALTER TABLE "alerts" ADD CONSTRAINT "alerts_topology_id_topologies_id_fk" FOREIGN KEY ("topology_id") REFERENCES "public"."topologies"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "passed" ADD CONSTRAINT "passed_topology_id_topologies_id_fk" FOREIGN KEY ("topology_id") REFERENCES "public"."topologies"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE UNIQUE INDEX "alerts_going" ON "alerts" USING btree ("topology_id","environment","rule","broker","name") WHERE "alerts"."ended_at" is null;--> statement-breakpoint
CREATE INDEX "alerts_topology_id_environment_went_off_at_index" ON "alerts" USING btree ("topology_id","environment","went_off_at");--> statement-breakpoint
CREATE INDEX "passed_topology_id_environment_at_index" ON "passed" USING btree ("topology_id","environment","at");--> statement-breakpoint
CREATE INDEX "passed_topology_id_environment_same_index" ON "passed" USING btree ("topology_id","environment","same");--> statement-breakpoint
CREATE INDEX "passed_until_index" ON "passed" USING btree ("until");