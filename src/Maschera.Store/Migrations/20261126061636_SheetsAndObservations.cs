using System;
using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Maschera.Store.Migrations
{
    /// <inheritdoc />
    public partial class SheetsAndObservations : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<string>(
                name: "SheetJson",
                table: "Captures",
                type: "TEXT",
                nullable: true);

            migrationBuilder.CreateTable(
                name: "Observations",
                columns: table => new
                {
                    Id = table.Column<int>(type: "INTEGER", nullable: false)
                        .Annotation("Sqlite:Autoincrement", true),
                    JobId = table.Column<int>(type: "INTEGER", nullable: false),
                    Word = table.Column<string>(type: "TEXT", nullable: false),
                    IsReplacedPart = table.Column<bool>(type: "INTEGER", nullable: false),
                    Present = table.Column<bool>(type: "INTEGER", nullable: false),
                    Cylinder = table.Column<int>(type: "INTEGER", nullable: true),
                    Wheel = table.Column<string>(type: "TEXT", nullable: true),
                    Part = table.Column<string>(type: "TEXT", nullable: true),
                    SeenAt = table.Column<DateTime>(type: "TEXT", nullable: false),
                    DeletedAt = table.Column<DateTime>(type: "TEXT", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_Observations", x => x.Id);
                    table.ForeignKey(
                        name: "FK_Observations_Jobs_JobId",
                        column: x => x.JobId,
                        principalTable: "Jobs",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateIndex(
                name: "IX_Observations_JobId",
                table: "Observations",
                column: "JobId");

            migrationBuilder.Sql("ALTER TABLE Blocks ADD COLUMN Sum INTEGER; ALTER TABLE Levels ADD COLUMN Sum INTEGER");
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.Sql("ALTER TABLE Blocks DROP COLUMN Sum; ALTER TABLE Levels DROP COLUMN Sum");

            migrationBuilder.DropTable(
                name: "Observations");

            migrationBuilder.DropColumn(
                name: "SheetJson",
                table: "Captures");
        }
    }
}
