using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Maschera.Store.Migrations
{
    /// <inheritdoc />
    public partial class MovingWindows : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<string>(
                name: "Moves",
                table: "Figures",
                type: "TEXT",
                nullable: false,
                defaultValue: "");
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropColumn(
                name: "Moves",
                table: "Figures");
        }
    }
}
