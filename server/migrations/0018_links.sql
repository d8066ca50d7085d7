CREATE TABLE "link_standings" (
	"topology_id" integer NOT NULL,
	"environment" text NOT NULL,
	"link" text NOT NULL,
	"runs" boolean NOT NULL,
	"why" text,
	"carried" bigint NOT NULL,
	"held" integer NOT NULL,
	"at" timestamp with time zone DEFAULT now() NOT NULL,
	CONSTRAINT "link_standings_topology_id_environment_link_pk" PRIMARY KEY("topology_id","environment","link")
);
--> statement-breakpoint
ALTER TABLE "link_standings" ADD CONSTRAINT "link_standings_topology_id_topologies_id_fk" FOREIGN KEY ("topology_id") REFERENCES "public"."topologies"("id") ON DELETE cascade ON UPDATE no action;