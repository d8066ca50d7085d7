CREATE TABLE "credentials" (
	"id" integer PRIMARY KEY GENERATED ALWAYS AS IDENTITY (sequence name "credentials_id_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 2147483647 START WITH 1 CACHE 1),
	"topology_id" integer NOT NULL,
	"environment" text NOT NULL,
	"broker" text NOT NULL,
	"app" text NOT NULL,
	"name" text NOT NULL,
	"mark" text NOT NULL,
	"hash" text NOT NULL,
	"sealed_password" text,
	"handed_out_to" integer,
	"handed_out_at" timestamp with time zone,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	CONSTRAINT "credentials_topology_id_environment_broker_app_unique" UNIQUE("topology_id","environment","broker","app")
);
--> statement-breakpoint
ALTER TABLE "credentials" ADD CONSTRAINT "credentials_topology_id_topologies_id_fk" FOREIGN KEY ("topology_id") REFERENCES "public"."topologies"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "credentials" ADD CONSTRAINT "credentials_handed_out_to_people_id_fk" FOREIGN KEY ("handed_out_to") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;