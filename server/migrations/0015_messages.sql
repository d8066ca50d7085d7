CREATE TABLE "operations" (
	"id" integer PRIMARY KEY GENERATED ALWAYS AS IDENTITY (sequence name "operations_id_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 2147483647 START WITH 1 CACHE 1),
	"topology_id" integer NOT NULL,
	"environment" text NOT NULL,
	"what" text NOT NULL,
	"broker" text NOT NULL,
	"store" text NOT NULL,
	"to" text NOT NULL,
	"where" text NOT NULL,
	"agreed" integer NOT NULL,
	"done" integer DEFAULT 0 NOT NULL,
	"looked" integer DEFAULT 0 NOT NULL,
	"state" text NOT NULL,
	"error" text,
	"stop_asked" boolean DEFAULT false NOT NULL,
	"alive_until" timestamp with time zone NOT NULL,
	"created_by" integer NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"finished_at" timestamp with time zone
);
--> statement-breakpoint
ALTER TABLE "members" ADD COLUMN "reads" text DEFAULT 'nothing' NOT NULL;--> statement-breakpoint
ALTER TABLE "operations" ADD CONSTRAINT "operations_topology_id_topologies_id_fk" FOREIGN KEY ("topology_id") REFERENCES "public"."topologies"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "operations" ADD CONSTRAINT "operations_created_by_people_id_fk" FOREIGN KEY ("created_by") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "operations_topology_id_environment_index" ON "operations" USING btree ("topology_id","environment");